"""Steps of the desk Surface, on small materials whose answers are known."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt
import pytest

from customs.errors import StepError
from customs.formats.image_write import deliveries, encode, texture_kinds
from customs.job import Job
from customs.route.step import NOTHING, Outcome, get_step, make_settings
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.surface.files.base import recognise, texture_format
from customs.surface.mipmap import coverage
from customs.surface.pixels import image_pixels
from customs.surface.relief import from_height
from tests.assets import key
from tests.ledger.test_ledger import INK, named
from tests.ledger.test_surface_rows import BUMPS, cut, image, near, speckled, two_materials, waves, with_roles

GREY = np.full((8, 8, 1), 100, np.uint8)


def do(step: str, scene: Scene, **values: Any) -> Outcome:
    """A step run on a scene."""
    entry = get_step(step)
    return entry.apply(scene, make_settings(entry, values), NOTHING, Job())


def first(scene: Scene) -> Material:
    return scene.materials[0]


def pixels(scene: Scene, role: str, number: int = 0) -> npt.NDArray[Any]:
    """Pixels of a material's texture in a role."""
    return image_pixels(scene.images[scene.materials[number].textures[role].image])


def packed_sources() -> Scene:
    """A material with roughness, metallic and occlusion apart, of different sizes."""
    return with_roles({
        "base_colour": image(0, "ink_c", speckled()), "roughness": image(1, "ink_r", np.full((8, 8, 1), 64, np.uint8)),
        "metallic": image(2, "ink_m", np.full((16, 16, 1), 200, np.uint8)),
        "occlusion": image(3, "ink_o", np.full((4, 4, 1), 250, np.uint8)),
    }, metallic=1.0, roughness=1.0)  # fmt: skip


def test_packing_follows_the_pattern_and_splitting_undoes_it() -> None:
    out = do("pack", packed_sources(), pattern="R=occlusion G=roughness B=metallic").scene
    assert set(first(out).textures) == {"base_colour", "occlusion", "metallic_roughness"}
    assert (pixels(out, "metallic_roughness") == [250, 64, 200]).all() and pixels(
        out, "metallic_roughness"
    ).shape == (
        16,
        16,
        3,
    )
    assert first(out).textures["occlusion"].image == first(out).textures["metallic_roughness"].image
    apart = do("split", out, values=("roughness", "metallic", "occlusion")).scene
    # One value all over is a number, no texture.
    assert abs(first(apart).roughness - 64 / 255) < 1e-6 and abs(first(apart).metallic - 200 / 255) < 1e-6
    assert not {"metallic_roughness", "roughness", "metallic"} & set(first(apart).textures)


def test_any_order_constants_and_inverted_values_pack() -> None:
    out = do("pack", packed_sources(), pattern="R=1-roughness G=0.5 B=metallic A=occlusion").scene
    assert "parameters" in first(out).textures
    assert (pixels(out, "parameters") == [191, 128, 200, 250]).all()
    assert do("pack", out, pattern="R=1-roughness G=0.5 B=metallic A=occlusion").scene is out
    again = do("pack", out, pattern="R=occlusion G=roughness B=metallic").scene
    assert np.abs(pixels(again, "metallic_roughness").astype(int) - [250, 64, 200]).max() <= 1


def test_factors_go_into_what_is_packed() -> None:
    scene = with_roles(
        {"roughness": image(0, "ink_r", np.full((4, 4, 1), 200, np.uint8))}, roughness=0.5, metallic=0.25
    )
    out = do("pack", scene, pattern="R=1 G=roughness B=metallic").scene
    assert np.abs(pixels(out, "metallic_roughness")[0, 0].astype(int) - [255, 100, 64]).max() <= 1
    assert first(out).roughness == first(out).metallic == 1.0


def test_opacity_goes_into_alpha_and_the_mode_follows() -> None:
    mask = cut()[:, :, 3:]
    scene = with_roles(
        {"base_colour": image(0, "ink_c", speckled(3, 32)), "opacity": image(1, "ink_op", mask)}
    )
    out = do("merge-alpha", scene).scene
    assert (pixels(out, "base_colour")[:, :, 3:] == mask).all()
    assert first(out).alpha_mode == "mask" and "opacity" not in first(out).textures


def test_height_becomes_relief_and_is_laid_over_what_is_there() -> None:
    alone = do("height-normal", with_roles({"height": image(0, "ink_h", waves())}), depth=6.0).scene
    assert (pixels(alone, "normal") == from_height(waves(), 6.0)).all() and alone.images[-1].green == "up"
    flat = np.full((64, 64, 3), (128, 128, 255), np.uint8)
    over = do(
        "height-normal",
        with_roles({"height": image(0, "h", waves()), "normal": image(1, "n", flat)}),
        depth=6.0,
    ).scene
    assert np.abs(pixels(over, "normal").astype(int) - pixels(alone, "normal")).max() <= 2
    kept = do(
        "height-normal",
        with_roles({"height": image(0, "h", waves()), "normal": image(1, "n", flat)}),
        add=False,
    ).scene
    assert (pixels(kept, "normal") == flat).all() and "height" not in first(kept).textures


def test_green_is_turned_over_and_marked_and_back_again() -> None:
    scene = with_roles({"normal": image(0, "ink_n", BUMPS)})
    once = do("green", scene).scene
    assert once.images[0].green == "down" and (pixels(once, "normal")[:, :, 1] == 255 - BUMPS[:, :, 1]).all()
    twice = do("green", once).scene
    assert twice.images[0].green == "up" and (pixels(twice, "normal") == BUMPS).all()


def test_presets_keep_names_and_textures_and_what_textures_say() -> None:
    scene = with_roles({"base_colour": image(0, "leaf_c", cut())}, name="fern", roughness=0.1)
    out = first(do("preset", scene, preset="leaf").scene)
    assert (out.alpha_mode, out.double_sided, out.roughness, out.name) == (
        "mask",
        True,
        0.8,
        "fern",
    ) and out.textures
    mapped = with_roles({"roughness": image(0, "x_r", GREY)}, roughness=1.0)
    assert first(do("preset", mapped, preset="glass").scene).roughness == 1.0
    assert do("preset", scene, preset="leaf", state="blend").scene is scene
    with pytest.raises(StepError, match="opaque"):
        do("preset", scene, preset="velvet")


def test_settings_are_copied_and_names_and_textures_stay() -> None:
    scene = two_materials()
    source = replace(scene.materials[0], roughness=0.2, alpha_mode="blend", double_sided=True)
    scene = replace(scene, materials=(source, scene.materials[1]))
    out = do("copy-settings", scene, source=str(source.key)).scene.materials[1]
    assert (out.roughness, out.alpha_mode, out.double_sided, out.name) == (
        0.2,
        "blend",
        True,
        "twin",
    ) and out.textures


def test_equal_materials_and_textures_become_one() -> None:
    merged = do("merge-materials", two_materials()).scene
    assert {p.material for m in merged.meshes for p in m.primitives} == {0}
    same = speckled()
    twice = with_roles({"base_colour": image(0, "a", same), "emissive": image(1, "b", same.copy())})
    out = first(do("merge-textures", twice).scene).textures
    assert out["base_colour"].image == out["emissive"].image


def test_an_atlas_shows_each_face_the_same_colours_as_before() -> None:
    scene = two_materials()
    other = image(1, "other_c", np.full((16, 16, 3), (200, 40, 10), np.uint8))
    second = replace(scene.materials[1], textures={"base_colour": TextureUse(1)})
    scene = replace(scene, materials=(scene.materials[0], second), images=(*scene.images, other))
    out = do("atlas", scene).scene
    a, b = out.meshes[0].primitives
    assert a.material == b.material == 2
    sheet = pixels(out, "base_colour", 2)

    def seen(uv: npt.NDArray[Any]) -> npt.NDArray[Any]:
        at = np.clip((uv * sheet.shape[0]).astype(int), 0, sheet.shape[0] - 1)
        return sheet[at[:, 1], at[:, 0], :3]

    assert np.abs(seen(b.texcoords[0]).astype(int) - [200, 40, 10]).max() <= 1
    assert a.texcoords[0].min() >= 0 and a.texcoords[0].max() <= 1


def test_variants_follow_the_extension_and_unknown_textures_are_told() -> None:
    scene = near(with_roles({"base_colour": image(0, "ink_c", speckled())}), "ink_winter_c", speckled())
    uses = (("winter", str(first(scene).key), "base_colour", str(scene.images[1].key)),)
    out = do("variants", scene, uses=uses).scene
    assert out.variants == ("plain", "winter") and len(out.materials) == 2
    assert out.meshes[0].primitives[0].variants == ((0, (0,)), (1, (1,)))
    with pytest.raises(StepError, match="no texture"):
        do("variants", scene, uses=(("w", str(first(scene).key), "base_colour", "nothing:file:9"),))


def test_a_glow_has_the_colours_picked_and_is_black_elsewhere() -> None:
    lamp = np.zeros((32, 32, 3), np.uint8) + np.uint8([40, 40, 60])
    lamp[8:20, 8:20] = (250, 200, 90)
    lamp[0, 0] = (250, 200, 90)
    out = do(
        "glow",
        with_roles({"base_colour": image(0, "lamp_c", lamp)}),
        colours=("#fac85a",),
        speck=4,
        strength=3.0,
    ).scene
    glow = pixels(out, "emissive")
    assert (glow[10, 10] == [250, 200, 90]).all() and not glow[25, 25].any() and not glow[0, 0].any(), (
        "a lone pixel is cleaned away"
    )
    assert first(out).emissive_strength == 3.0 and first(out).emissive == (1.0, 1.0, 1.0)
    with pytest.raises(StepError, match="a colour such as"):
        do("glow", out, colours=("amber",))


def test_flat_textures_fold_into_numbers_and_numbers_fill_textures() -> None:
    orm = np.full((16, 16, 3), (255, 102, 51), np.uint8)
    folded = first(
        do(
            "fold-flat", with_roles({"metallic_roughness": image(0, "x", orm)}, metallic=1.0, roughness=1.0)
        ).scene
    )
    assert folded.textures == {} and (round(folded.roughness, 2), round(folded.metallic, 2)) == (0.4, 0.2)
    filled = do(
        "fill-roles", named(replace(INK, base_colour=(0.5, 0.25, 0.0, 1.0))), roles=("base_colour", "normal")
    ).scene
    # sRGB of linear 0.5 and 0.25: 188 and 137 (IEC 61966-2-1).
    assert (pixels(filled, "base_colour")[0, 0] == [188, 137, 0]).all() and first(filled).base_colour == (
        1.0,
        1.0,
        1.0,
        1.0,
    )
    assert (pixels(filled, "normal")[0, 0] == [128, 128, 255]).all()


def test_a_detail_is_kept_apart_or_worked_in() -> None:
    scene = near(
        with_roles({"base_colour": image(0, "ink_c", np.full((8, 8, 3), 100, np.uint8))}),
        "weave",
        np.full((4, 4, 3), 191, np.uint8),
    )
    loose = first(do("detail", scene, texture=str(scene.images[1].key), scale=(4.0, 4.0)).scene)
    assert loose.textures["detail"].scale == (4.0, 4.0)
    baked = do("detail", scene, texture=str(scene.images[1].key), scale=(4.0, 4.0), bake=True).scene
    assert (
        "detail" not in first(baked).textures
        and np.abs(pixels(baked, "base_colour").astype(int) - 150).max() <= 1
    )
    with pytest.raises(StepError, match="no texture"):
        do("detail", scene, texture="gone:file:1")


def test_tint_keeps_light_and_dark() -> None:
    ramp = np.repeat(np.linspace(20, 230, 16).astype(np.uint8)[None, :, None], 4, 0) * np.float32(
        [1, 0.6, 0.5]
    )
    out = pixels(
        do(
            "tint", with_roles({"base_colour": image(0, "x_c", ramp.astype(np.uint8))}), colour="#2050c0"
        ).scene,
        "base_colour",
    )
    grey = out.astype(float) @ [0.2126, 0.7152, 0.0722]
    assert (np.diff(grey[0]) > 0).all() and out[0, 8, 2] > out[0, 8, 0]


def test_unlit_takes_light_and_unwrapping_fills_the_square() -> None:
    assert first(do("light", named(replace(INK, model="unlit")), roughness=0.6).scene).model == "pbr"
    scene = named(INK)
    bare = replace(scene.meshes[0].primitives[0], texcoords=(), tangents=None)
    scene = replace(scene, meshes=(replace(scene.meshes[0], primitives=(bare,)),))
    made = do("unwrap", scene).scene.meshes[0].primitives[0]
    uv = made.texcoords[0]
    assert uv.min() >= 0 and uv.max() <= 1 and np.ptp(uv, axis=0).min() > 0.5
    assert len(made.indices) == len(bare.indices)  # type: ignore[arg-type]


def test_clear_textures_keep_their_coverage_through_the_levels_of_a_dds() -> None:
    scene = with_roles({"base_colour": image(0, "leaf_c", cut(128))}, alpha_mode="mask", alpha_cutoff=0.5)
    out = do("convert-textures", do("bleed", scene).scene, form="dds", block="", mips=True).scene
    kind = texture_kinds(out)[0]
    assert kind.colour and kind.cutoff == 0.5
    data = encode(out.images[0], deliveries(out.images[0], out.wishes)[0], kind)
    levels = texture_format("dds").decode_levels(data)  # type: ignore[misc]
    top = coverage(levels[0], 0.5)
    assert len(levels) == 8
    for level in levels[1:5]:
        assert abs(coverage(level, 0.5) - top) <= max(0.01, 0.5 / level[:, :, 0].size)


def test_each_texture_is_written_in_every_format_asked_for() -> None:
    out = do(
        "convert-textures",
        with_roles({"base_colour": image(0, "x_c", speckled())}),
        form="dds",
        block="bc1",
        also=("tga", "png"),
    ).scene
    forms = [recognise(encode(out.images[0], d)).id for d in deliveries(out.images[0], out.wishes)]
    assert forms == ["dds", "tga", "png"] and out.images[0].space == "srgb"


def test_names_by_suffix_number_the_second_material_on() -> None:
    scene = two_materials()
    second = replace(scene.materials[1], textures={"base_colour": TextureUse(1), "normal": TextureUse(2)})
    images = (
        *scene.images,
        image(1, "other", speckled()),
        image(2, "relief", BUMPS),
        Image(key("image", 9), "lying by"),
    )
    scene = replace(scene, name="letter", materials=(scene.materials[0], second), images=images)
    values = {"image": "{asset}{later}_{role}", "suffixes": {"base_colour": "c", "normal": "n"}}
    out = do("rename", scene, **values).scene
    assert [im.name for im in out.images] == ["letter_c", "letter_2_c", "letter_2_n", "lying by"]


def test_small_textures_grow_and_tiling_ones_stay_seamless() -> None:
    y, x = np.mgrid[0:16, 0:16] / 16 * 2 * np.pi
    tile = np.uint8(128 + 60 * np.sin(x) + 50 * np.cos(y))[:, :, None].repeat(3, 2)
    out = pixels(
        do("resize", with_roles({"base_colour": image(0, "t_c", tile)}), least=64).scene, "base_colour"
    ).astype(int)
    assert out.shape == (64, 64, 3)
    seam, inside = np.abs(out[:, 0] - out[:, -1]).mean(), np.abs(np.diff(out, axis=1)).mean()
    assert seam < 2.5 * inside + 1


def test_colour_space_is_marked_by_role_and_numbers_stay() -> None:
    scene = with_roles({"normal": image(0, "ink_n", BUMPS, space="srgb")})
    out = do("colour-space", scene).scene
    assert out.images[0].space == "linear" and (pixels(out, "normal") == BUMPS).all()
