"""Textures that come and go apart in OBJ with MTL: the statements of the "Material Library File" appendix."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import PIL.Image
import pytest

from customs.formats.obj.mtl import LOOSE_STATEMENTS, split_options
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.scene.model import Scene
from customs.surface.pixels import image_pixels
from tests.ledger.test_surface_rows import BUMPS, image, speckled, waves, with_roles

FACE = "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl ink\nf 1/1 2/2 3/3\n"


def saved(folder: Path, name: str, pixels: np.ndarray) -> None:
    PIL.Image.fromarray(pixels[:, :, 0] if pixels.shape[2] == 1 else pixels).save(folder / name)


def read(folder: Path, mtl: str) -> Scene:
    """An OBJ of one face with a material library."""
    (folder / "x.obj").write_text(f"mtllib x.mtl\n{FACE}")
    (folder / "x.mtl").write_text(f"newmtl ink\n{mtl}")
    return read_scene(Source(folder / "x.obj"))


@pytest.mark.parametrize(
    ("statement", "role"),
    [("map_Pr r.png", "roughness"), ("map_Pm r.png", "metallic"), ("map_Ns r.png", "glossiness"), ("map_Ks r.png", "specular"),
     ("map_d r.png", "opacity"), ("map_Kd r.png", "base_colour"), ("map_Ke r.png", "emissive")],
)  # fmt: skip
def test_each_statement_is_its_role(statement: str, role: str, tmp_path: Path) -> None:
    saved(tmp_path, "r.png", speckled(1))
    material = read(tmp_path, statement + "\n").materials[0]
    assert list(material.textures) == [role]


def test_bump_is_relief_or_height_by_its_own_pixels(tmp_path: Path) -> None:
    saved(tmp_path, "n.png", BUMPS)
    saved(tmp_path, "h.png", waves())
    assert "normal" in read(tmp_path, "bump n.png\n").materials[0].textures
    height = read(tmp_path, "map_Bump -bm 0.5 h.png\n").materials[0].textures["height"]
    assert height.strength == 0.5


def test_what_a_texture_says_is_not_multiplied_away(tmp_path: Path) -> None:
    saved(tmp_path, "r.png", speckled(1))
    mapped = read(tmp_path, "map_Pr r.png\nmap_Pm r.png\nNs 10\n").materials[0]
    assert mapped.roughness == 1.0 and mapped.metallic == 1.0
    # Phong exponent 10: alpha = sqrt(2 / 12), roughness = its root (Walter et al. 2007; glTF 2.0, B.2).
    assert read(tmp_path, "Ns 10\n").materials[0].roughness == pytest.approx((2 / 12) ** 0.25)


def test_green_and_blue_of_one_image_are_one_packed_texture(tmp_path: Path) -> None:
    saved(tmp_path, "orm.png", speckled())
    scene = read(
        tmp_path, "map_Pr -imfchan g orm.png\nmap_Pm -imfchan b orm.png\nmap_Ka -imfchan r orm.png\n"
    )
    assert set(scene.materials[0].textures) == {"metallic_roughness", "occlusion"} and len(scene.images) == 1


@pytest.mark.parametrize(
    "role", ["metallic_roughness", "normal", "emissive", "base_colour", *LOOSE_STATEMENTS]
)
def test_every_role_obj_has_a_place_for_goes_and_comes_back(role: str, tmp_path: Path) -> None:
    pixels = (
        BUMPS
        if role == "normal"
        else waves()
        if role == "height"
        else speckled(1 if role in LOOSE_STATEMENTS else 3)
    )
    scene = with_roles(
        {role: image(0, "ink_x", pixels)}, emissive=(1.0, 1.0, 1.0) if role == "emissive" else (0.0, 0.0, 0.0)
    )
    entry = get_format("obj")
    assert entry.write is not None and role in entry.texture_roles
    saved(tmp_path, "ink_x.png", pixels)
    for ending, parts in entry.write(scene, WriteOptions("x", {0: "ink_x.png"})).items():
        (tmp_path / f"x{ending}").write_bytes(b"".join(bytes(p) for p in parts))
    back = read_scene(Source(tmp_path / "x.obj"))
    assert set(back.materials[0].textures) == {role}
    assert (image_pixels(back.images[0]) == pixels).all()


def test_options_and_names_with_spaces() -> None:
    assert split_options("-s 2 2 -bm 0.3 old wood.png") == (
        "old wood.png",
        {"-s": ["2", "2"], "-bm": ["0.3"]},
    )
    assert split_options('"odd name.png"') == ("odd name.png", {})


def test_a_texture_scaled_by_the_library_lies_scaled(tmp_path: Path) -> None:
    saved(tmp_path, "r.png", speckled())
    use = read(tmp_path, "map_Kd -s 3 2 -o 0.25 0.5 r.png\n").materials[0].textures["base_colour"]
    assert use.scale == (3.0, 2.0) and use.offset == (0.25, 1 - 2.0 - 0.5)


def test_a_library_that_is_its_own_texture_or_names_nothing_is_no_trouble(tmp_path: Path) -> None:
    scene = read(tmp_path, "map_Kd x.mtl\nmap_Pr\nmap_Pm gone.png\nnewmtl ink\nKd 1 0 0\n")
    assert scene.materials and all(im.problem for im in scene.images)
