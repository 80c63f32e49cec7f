"""Requirements of the desk Surface: each on a material that breaks it, and its remedy pressed until the row
is clear.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt
import pytest

from customs.ledger.ledger import effective, judge, worst
from customs.ledger.row import Row
from customs.planning.plan import arrive_stop, take_remedy
from customs.route.route import Route, evaluate
from customs.scene.arrays import frozen
from customs.scene.key import FILE, Key
from customs.scene.model import Image, Scene, TextureUse
from customs.scene.wishes import Delivery, Wishes
from customs.sheet.model import Sheet
from customs.surface.relief import flipped_green, from_height
from tests.assets import key
from tests.ledger.test_ledger import INK, OPEN, named, rows, sheet

KIT: dict[str, Any] = {
    "model": {"format": "obj", "textures": "apart"},
    "textures": {"formats": ("dds",), "mips": True},
}
BC1 = {"colour": "bc1", "alpha": "bc3", "normal": "bc5", "packed": "bc1", "grey": "bc4"}
RNG = np.random.default_rng(5)


def waves(size: int = 64) -> npt.NDArray[np.uint8]:
    """A height map (size, size, 1) of crossing waves, tiling."""
    y, x = np.mgrid[0:size, 0:size] / size * 2 * np.pi
    return np.uint8(127 + 60 * np.sin(3 * x + 2 * y) + 60 * np.sin(2 * x - 5 * y))[:, :, None]


def speckled(channels: int = 3, size: int = 16) -> npt.NDArray[np.uint8]:
    """Colours (size, size, channels) without a pattern."""
    return RNG.integers(30, 220, (size, size, channels), dtype=np.uint8)


def cut(size: int = 32) -> npt.NDArray[np.uint8]:
    """A solid green disc on clear red ground (size, size, 4): common practice says the red would show as a
    rim.
    """
    y, x = np.mgrid[0:size, 0:size] - size / 2 + 0.5
    inside = np.hypot(x, y) < size * 0.35
    out = np.zeros((size, size, 4), np.uint8)
    out[:] = (220, 20, 20, 0)
    out[inside] = (30, 160, 40, 255)
    return out


BUMPS = from_height(waves(), 6.0)


def image(number: int, name: str, pixels: npt.NDArray[Any], **more: Any) -> Image:
    """A texture with its pixels."""
    return Image(key("image", number), name, pixels=frozen(pixels, pixels.dtype), uri=f"{name}.png", **more)


def with_roles(images: dict[str, Image], **values: Any) -> Scene:
    """The letter with a material that uses each image in its role."""
    textures = {role: TextureUse(i) for i, role in enumerate(images)}
    return named(replace(INK, textures=textures, **values), *images.values())


def near(scene: Scene, name: str, pixels: npt.NDArray[Any], folder: str = "") -> Scene:
    """The scene with a texture that lies near it."""
    number = len(scene.images)
    made = Image(
        Key(scene.digest, FILE, number), name, pixels=frozen(pixels, pixels.dtype), uri=f"{folder}{name}.png"
    )
    return replace(scene, images=(*scene.images, made))


def missing(*folders: str) -> Scene:
    """A material whose colour texture is not there, with a file of its name in each of some folders."""
    lost = Image(key("image", 0), "skin_c", uri="skin_c.png", problem="skin_c.png is not there")
    scene = with_roles({"base_colour": lost})
    for k, folder in enumerate(folders):
        scene = near(scene, "skin_c", speckled() + np.uint8(k), folder)
    return scene


def two_materials() -> Scene:
    """Two materials that differ in their names alone, on UVs within 0..1."""
    scene = with_roles({"base_colour": image(0, "ink_c", speckled())})
    twin = replace(scene.materials[0], key=key("material", 1), name="twin")
    first = scene.meshes[0]
    uv = first.primitives[0].texcoords[0]
    inside = (uv - uv.min(axis=0)) / np.ptp(uv, axis=0)
    first = replace(first, primitives=(replace(first.primitives[0], texcoords=(frozen(inside),)),))
    again = replace(first.primitives[0], key=key("primitive", 7), material=1)
    mesh = replace(first, primitives=(first.primitives[0], again))
    return replace(scene, materials=(*scene.materials, twin), meshes=(mesh,))


def delivered(role: str, pixels: npt.NDArray[Any], block: str) -> Scene:
    """A texture that a stop has set to a block compression."""
    scene = with_roles({role: image(0, "ink_x", pixels)})
    return replace(scene, wishes=Wishes({scene.images[0].key: (Delivery("dds", block, mips=True),)}))


GRADIENT = np.repeat(np.linspace(0, 255, 256).astype(np.uint8)[None, :, None], 64, 0).repeat(3, 2)
Case = tuple[Callable[[], Scene], Sheet, str, str]
BROKEN: dict[str, Case] = {
    "role-known": (lambda: with_roles({"height": image(0, "ink_h", waves())}), OPEN, "query", "height-normal"),
    "role-required": (lambda: with_roles({}), sheet(textures={"required": ("base_colour",)}), "held", "fill-roles"),
    "role-doubt": (lambda: with_roles({"base_colour": image(0, "ink_n", BUMPS)}), OPEN, "query", "roles"),
    "role-nearby": (
        lambda: near(with_roles({"base_colour": image(0, "ink_c", speckled())}), "ink_n", BUMPS), OPEN, "query", "roles",
    ),
    "texture-missing": (lambda: missing("maps/"), OPEN, "held", "find-textures"),
    "colour-space": (lambda: with_roles({"normal": image(0, "ink_n", BUMPS, space="srgb")}), OPEN, "query", "colour-space"),
    "green-direction": (lambda: with_roles({"normal": image(0, "ink_n", flipped_green(BUMPS))}), OPEN, "query", "green"),
    "normal-unit": (
        lambda: with_roles({"normal": image(0, "ink_n", np.uint8(127.5 + (BUMPS.astype(np.float32) - 127.5) * 0.8))}),
        OPEN, "query", "renormalise",
    ),
    "normal-two-channel": (
        lambda: with_roles({"normal": image(0, "ink_n", np.dstack([BUMPS[:, :, :2], np.zeros((64, 64), np.uint8)]))}),
        OPEN, "held", "complete-normal",
    ),
    "alpha-rim": (lambda: with_roles({"base_colour": image(0, "ink_c", cut())}, alpha_mode="mask"), OPEN, "query", "bleed"),
    "alpha-cutoff": (
        lambda: with_roles({"base_colour": image(0, "ink_c", np.minimum(cut(), [255, 255, 255, 90]).astype(np.uint8))},
                           alpha_mode="mask", alpha_cutoff=0.9), OPEN, "query", "alpha",
    ),
    "alpha-channel": (
        lambda: with_roles({"base_colour": image(0, "ink_c", np.dstack([speckled(), np.full((16, 16), 255, np.uint8)]))}),
        sheet(textures={"unused_channels": "forbidden"}), "held", "drop-alpha",
    ),
    "texture-block": (
        lambda: with_roles({"base_colour": image(0, "ink_c", speckled())}),
        sheet(**{**KIT, "textures": {**KIT["textures"], "blocks": BC1}}), "held", "convert-textures",
    ),
    "texture-block-fit": (lambda: delivered("normal", BUMPS, "bc1"), sheet(**KIT), "query", "convert-textures"),
    "texture-mips": (lambda: with_roles({"base_colour": image(0, "ink_c", speckled())}), sheet(**KIT), "held", "convert-textures"),
    "texture-copies": (
        lambda: with_roles({"base_colour": image(0, "ink_c", speckled())}),
        sheet(model=KIT["model"], textures={"formats": ("png",), "also": ("tga",)}), "held", "convert-textures",
    ),
    "texture-duplicate": (
        lambda: with_roles({"base_colour": image(0, "a_c", GRADIENT), "emissive": image(1, "b_c", GRADIENT)}, emissive=(1.0, 1.0, 1.0)),
        OPEN, "query", "merge-textures",
    ),
    "texture-flat": (
        lambda: with_roles({"base_colour": image(0, "ink_c", np.full((64, 64, 3), 90, np.uint8))}), OPEN, "query", "fold-flat",
    ),
    "texture-small": (
        lambda: with_roles({"base_colour": image(0, "ink_c", speckled())}), sheet(textures={"min_edge": 64}), "held", "resize",
    ),
    "material-equal": (two_materials, OPEN, "query", "merge-materials"),
    "material-plain": (
        lambda: named(replace(INK, name="brass rim", base_colour=(0.6, 0.6, 0.6, 1.0), roughness=1.0)), OPEN, "query", "preset",
    ),
    "material-model": (
        lambda: with_roles({"diffuse": image(0, "ink_d", speckled())}, model="specular_glossiness"), OPEN, "query", "spec-gloss",
    ),
    "packed-order": (
        lambda: with_roles({"metallic_roughness": image(0, "ink_orm", speckled())}),
        sheet(textures={"pack": "R=metallic G=roughness B=occlusion"}), "held", "pack",
    ),
    "factor-hides": (
        lambda: with_roles({"emissive": image(0, "ink_e", speckled())}, emissive=(0.0, 0.0, 0.0)), OPEN, "query", "roles",
    ),
    "leaf-sides": (
        lambda: with_roles({"base_colour": image(0, "fern_c", cut())}, name="fern leaf", alpha_mode="mask"), OPEN, "query", "alpha",
    ),
    "skins-nearby": (
        lambda: near(with_roles({"base_colour": image(0, "ink_c", speckled())}), "ink_winter_c", speckled()), OPEN, "query", "variants",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", BROKEN)
def test_each_catches_what_it_is_for_and_its_remedy_clears_it(name: str) -> None:
    make, rules, verdict, step = BROKEN[name]
    scene = make()
    found = [r for r in rows(scene, name, rules) if r.verdict != "cleared"]
    assert found and worst(found) == verdict, rows(scene, name, rules)
    assert all(r.note and r.remedy is not None and r.remedy.step == step for r in found)
    route = Route((arrive_stop(None),))
    for r in found:
        assert r.remedy is not None
        route = take_remedy(route, r.remedy)
    passed = evaluate(scene, "d", route)
    assert not [a.error for a in passed if a.error]
    left = [
        r for r in judge(scene, passed, rules).rows if r.requirement == name and effective(r) != "cleared"
    ]
    assert not left, left


@pytest.mark.parametrize(
    "name",
    [n for n in BROKEN if n not in ("texture-missing", "role-required", "role-known", "material-plain")],
)
def test_each_leaves_a_sound_material_alone(name: str) -> None:
    rules = BROKEN[name][1]
    images = {"base_colour": image(0, "ink_c", speckled()), "normal": image(1, "ink_n", BUMPS)}
    good = {"texture-block", "texture-mips", "texture-copies", "texture-small"}
    found = [r for r in rows(with_roles(images), name, rules) if r.verdict != "cleared"]
    assert name in good or not found, found


def test_a_name_that_lies_in_two_folders_is_never_picked_silently() -> None:
    def row(*folders: str) -> Row:
        return next(r for r in rows(missing(*folders), "texture-missing") if r.verdict == "held")

    alike = row("summer/", "winter/")
    assert alike.remedy is not None and not alike.remedy.sure and "2 files may be meant" in alike.note
    nearer = row("", "old/far/away/")
    assert nearer.remedy is not None and nearer.remedy.sure and nearer.remedy.label == "Take skin_c.png"
    lost = rows(missing(), "texture-missing")[0]
    assert lost.remedy is None and "search a folder" in lost.note


def test_a_misspelt_name_is_offered_and_never_taken_alone() -> None:
    scene = near(missing(), "skinn_c", speckled())
    row = rows(scene, "texture-missing")[0]
    assert row.remedy is not None and not row.remedy.sure and "spelt otherwise" in row.note


def test_a_leaf_is_cut_out_and_glass_blends_by_name_and_by_alpha() -> None:
    def fix(name: str, pixels: npt.NDArray[Any]) -> dict[str, Any]:
        scene = with_roles({"base_colour": image(0, "x_c", pixels)}, name=name)
        found = next(r for r in rows(scene, "alpha-lost") if r.verdict != "cleared")
        assert found.remedy is not None
        return dict(found.remedy.values)

    veil = np.dstack([speckled(), np.full((16, 16), 128, np.uint8)])
    assert fix("ink", cut())["mode"] == "mask" and fix("ink", veil)["mode"] == "blend"
    assert fix("old glass", cut())["mode"] == "blend" and fix("paper label", veil)["mode"] == "mask"


def test_more_materials_than_taken_go_into_an_atlas_unless_they_tile() -> None:
    scene = two_materials()
    scene = replace(scene, materials=(scene.materials[0], replace(scene.materials[1], roughness=0.2)))
    row = rows(scene, "material-count", sheet(materials={"max_count": 1}))[0]
    assert row.verdict == "held" and row.remedy is not None and row.remedy.step == "atlas" and row.remedy.sure
    prim = scene.meshes[0].primitives[0]
    wide = replace(prim, texcoords=(frozen(prim.texcoords[0] * 4),))
    tiled = replace(
        scene, meshes=(replace(scene.meshes[0], primitives=(wide, *scene.meshes[0].primitives[1:])),)
    )
    assert rows(tiled, "material-count", sheet(materials={"max_count": 1}))[0].remedy is None


def test_density_follows_the_size_of_the_node_and_the_scale_of_the_texture() -> None:
    from customs.ledger.density import density

    scene = two_materials()
    plain = density(scene)[0]
    small = replace(scene, nodes=tuple(replace(n, scale=np.full(3, 0.5)) for n in scene.nodes))
    assert density(small)[0] == pytest.approx(2 * plain, rel=1e-3)
    use = replace(scene.materials[0].textures["base_colour"], scale=(3.0, 3.0))
    tiled = replace(
        scene, materials=(replace(scene.materials[0], textures={"base_colour": use}), scene.materials[1])
    )
    assert density(tiled)[0] == pytest.approx(3 * plain, rel=1e-3)


def test_overlap_density_and_mirrored_uvs() -> None:
    scene = two_materials()
    prim = scene.meshes[0].primitives[0]
    assert rows(scene, "uv-overlap", OPEN) == []
    assert worst(rows(scene, "uv-overlap", sheet(textures={"overlap": "forbidden"}))) == "held", (
        "front and back share"
    )
    low = rows(scene, "uv-density", sheet(textures={"density": (1e6, 2e6)}))
    assert worst(low) == "query" and "px/m" in low[0].delivering
    forbidden = sheet(mesh={"tangents": "forbidden"})
    turned = replace(prim, texcoords=(frozen(prim.texcoords[0] * np.float32([-1, 1]) + np.float32([1, 0])),))
    mirrored = replace(
        scene, meshes=(replace(scene.meshes[0], primitives=(turned,)),),
        images=(*scene.images, image(1, "ink_n", BUMPS)),
        materials=(replace(scene.materials[0], textures={"normal": TextureUse(1)}),),
    )  # fmt: skip
    straight = replace(mirrored, meshes=(replace(scene.meshes[0], primitives=(prim,)),))
    counts = [int(rows(s, "uv-flipped", forbidden)[0].delivering) for s in (mirrored, straight)]
    assert counts[0] != counts[1] and min(counts) > 0, (
        "the letter's back is mirrored one way, its front the other"
    )
