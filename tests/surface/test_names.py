"""Texture names as they come: which role a suffix tells and which textures belong together. Common practice,
name by name.
"""

from __future__ import annotations

import pytest

from customs.surface.suffixes import family, role_of_name, words

NAMES = [
    ("brick_c", "base_colour", "brick"),
    ("brick_d", "base_colour", "brick"),
    ("brick_diffuse", "base_colour", "brick"),
    ("brick_albedo", "base_colour", "brick"),
    ("BrickBaseColor", "base_colour", "brick"),
    ("brick_basecolor", "base_colour", "brick"),
    ("brick_col", "base_colour", "brick"),
    ("brick_color", "base_colour", "brick"),
    ("brick_n", "normal", "brick"),
    ("brick_nrm", "normal", "brick"),
    ("brick_normal", "normal", "brick"),
    ("Brick_Normal", "normal", "brick"),
    ("brick_norm", "normal", "brick"),
    ("brick_m", "metallic", "brick"),
    ("brick_metal", "metallic", "brick"),
    ("brick_metallic", "metallic", "brick"),
    ("brick_metalness", "metallic", "brick"),
    ("brick_r", "roughness", "brick"),
    ("brick_rough", "roughness", "brick"),
    ("brick_roughness", "roughness", "brick"),
    ("brick_g", "glossiness", "brick"),
    ("brick_gloss", "glossiness", "brick"),
    ("brick_glossiness", "glossiness", "brick"),
    ("brick_s", "specular", "brick"),
    ("brick_spec", "specular", "brick"),
    ("brick_specular", "specular", "brick"),
    ("brick_ao", "occlusion", "brick"),
    ("brick_occlusion", "occlusion", "brick"),
    ("brick_orm", "metallic_roughness", "brick"),
    ("brick_arm", "metallic_roughness", "brick"),
    ("brick_rma", "", "brick_rma"),
    ("brick_mr", "metallic_roughness", "brick"),
    ("brick_metallicRoughness", "metallic_roughness", "brick"),
    ("brick_e", "emissive", "brick"),
    ("brick_emissive", "emissive", "brick"),
    ("brick_emission", "emissive", "brick"),
    ("brick_glow", "emissive", "brick"),
    ("brick_h", "height", "brick"),
    ("brick_height", "height", "brick"),
    ("brick_disp", "height", "brick"),
    ("brick_displacement", "height", "brick"),
    ("brick_bump", "height", "brick"),
    ("brick_o", "occlusion", "brick"),
    ("brick_opacity", "opacity", "brick"),
    ("brick_alpha", "opacity", "brick"),
    ("brick_mask", "", "brick_mask"),
    ("brick", "", "brick"),
    ("brick_01", "", "brick_01"),
    ("wall_02_n", "normal", "wall_02"),
    ("leaf-normal", "normal", "leaf"),
    ("leaf.normal", "normal", "leaf"),
    ("T_leaf_N", "normal", "t_leaf"),
    ("t_leaf_d", "base_colour", "t_leaf"),
    ("detail_n", "normal", "detail"),
    ("brick_detail", "detail", "brick"),
    ("brick_detail_normal", "detail_normal", "brick"),
]
"""(name without its ending, role or "" where it tells none, what the textures of one material share)."""


@pytest.mark.parametrize(("name", "role", "shared"), NAMES)
def test_a_name_tells_its_role_and_its_family(name: str, role: str, shared: str) -> None:
    found = role_of_name(name)
    assert (found.role if found is not None else "") == role
    assert family(name) == shared
    if found is not None:
        assert 0 < found.sure <= 1 and found.told_by and found.family == shared


@pytest.mark.parametrize(("name", "role"), [(n, r) for n, r, _ in NAMES if r])
def test_case_tells_nothing(name: str, role: str) -> None:
    if name.islower():
        upper = role_of_name(name.upper())
        assert upper is not None and upper.role == role


@pytest.mark.parametrize("role", ["normal", "roughness", "emissive", "opacity"])
def test_an_origins_own_suffix_comes_before_the_usual_ones(role: str) -> None:
    found = role_of_name("brick_c", {role: ("_c",)})
    assert found is not None and found.role == role
    other = role_of_name("brick_n", {role: ("_c",)})
    assert other is not None and other.role == "normal"


def test_names_are_parted_at_signs_and_capitals() -> None:
    assert words("BrickWall_BaseColor-02") == ["brick", "wall", "base", "color", "02"]
    assert words("") == [] and role_of_name("") is None
