"""Patterns of names: every example of the guide, and what has not what a token asks for."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from customs.changes.naming import Naming
from customs.changes.own_textures import shared_textures
from customs.changes.sides import places_of, split_side
from customs.job import Job
from customs.route.step import NOTHING, get_step, make_settings
from customs.scene.arrays import frozen
from customs.scene.model import Image, Material, Node, Scene, TextureUse
from customs.scene.numbers import ORDER
from tests.assets import cube, key, scene_of

GUIDE = Path(__file__).parents[2] / "src" / "customs" / "guide" / "pages" / "patterns.md"
ROWS = [
    [c.strip().strip("`") for c in line.strip("|").split("|")]
    for line in GUIDE.read_text("utf-8").partition("## Examples")[2].splitlines()
    if re.match(r"\| (node|mesh|material|image) ", line)
]
KINDS = {"node": "nodes", "mesh": "meshes", "material": "materials", "image": "images"}


def three(names: list[str], kind: str) -> Scene:
    """As many cubes as names, each with a mesh, a material and a texture of its own; those of a kind by the names."""
    base, count = scene_of(cube()), len(names)
    pixels = frozen(np.zeros((2, 2, 3)), np.uint8)
    images = tuple(Image(key("image", i), f"t{i}.png", pixels=pixels) for i in range(count))
    materials = tuple(
        Material(
            key("material", i), ("oak", "iron", "brass", "tin")[i], textures={"base_colour": TextureUse(i)}
        )
        for i in range(count)
    )
    mesh = base.meshes[0]
    meshes = tuple(
        replace(mesh, key=key("mesh", i), name=f"m{i}", primitives=(replace(mesh.primitives[0], material=i),))
        for i in range(count)
    )
    nodes = tuple(Node(key("node", i), f"n{i}", mesh=i) for i in range(count))
    scene = replace(
        base,
        name="asset",
        nodes=nodes,
        roots=tuple(range(count)),
        meshes=meshes,
        materials=materials,
        images=images,
    )
    things = tuple(replace(x, name=n) for x, n in zip(getattr(scene, KINDS[kind]), names))
    return replace(scene, **{KINDS[kind]: things})


def renamed(scene: Scene, **values: object) -> Scene:
    step = get_step("rename")
    return step.apply(scene, make_settings(step, dict(values)), NOTHING, Job()).scene


def named(scene: Scene, kind: str) -> list[str]:
    return [x.name for x in getattr(scene, KINDS[kind])]


@pytest.mark.parametrize(("kind", "pattern", "given", "meant"), ROWS, ids=lambda v: str(v)[:24])
def test_every_example_of_the_guide(kind: str, pattern: str, given: str, meant: str) -> None:
    scene = three(given.split(", "), kind)
    once = renamed(scene, **{kind: pattern})
    assert named(once, kind) == meant.split(", ")
    if "{index}" not in pattern and "{later}" not in pattern:
        assert named(renamed(once, **{kind: pattern}), kind) == meant.split(", "), (
            "a second time changes nothing"
        )


def test_the_guide_has_examples() -> None:
    assert len(ROWS) >= 7


@pytest.mark.parametrize(
    ("name", "part", "side"),
    [
        ("arm_L", "arm", "left"), ("upper.arm.r", "upper.arm", "right"), ("RightFoot", "Foot", "right"), ("footLeft", "foot", "left"),
        ("leftover", "leftover", ""), ("bright", "bright", ""), ("l", "l", "left"), ("hand-R-2", "hand", "right"), ("pot_12", "pot", ""),
    ],
)  # fmt: skip
def test_sides_are_told_and_no_more(name: str, part: str, side: str) -> None:
    assert split_side(name) == (part, side)


def test_places_count_those_of_one_part_and_side() -> None:
    told = places_of(["spine", "arm_l", "Spine_2", "arm_r", "arm_l_9"])
    assert [p for _, _, p in told] == [1, 1, 2, 1, 2]


def test_what_the_destination_keeps_for_itself_gets_a_number() -> None:
    rules = Naming(r"[a-z][a-z0-9_]*", True, 8, reserved=frozenset({"item", "item_2", "longname"}))
    assert rules.legal("Item") == "item_3" and not rules.fits("item") and rules.fits("item_3")
    assert rules.legal("longname") == "longna_2"
    out = renamed(three(["item", "pot"], "node"), reserved=["ITEM"])
    assert named(out, "node") == ["item_2", "pot"]


@pytest.mark.parametrize(
    ("pattern", "name", "meant"),
    [
        ("bar", "bar", "bar"), ("bar", "foo", "bar"), ("prop_{asset}", "cart", "prop_cart"), ("prop_{asset}", "prop_cart", "prop_cart"), ("{name}_v2", "cart", "cart_v2"),
        ("i7_{name}", "i7", "i7"), ("{asset}_{name}", "x", "x"),
    ],
)  # fmt: skip
def test_the_asset_s_own_name_by_pattern(pattern: str, name: str, meant: str) -> None:
    """A constant is what it is, whatever the asset was called; a second time changes nothing."""
    scene = replace(three(["a"], "node"), name=name)
    once = renamed(scene, asset=pattern)
    assert once.name == meant and renamed(once, asset=pattern).name == meant


def test_skeletons_are_renamed_too() -> None:
    from tests.assets import lettered

    scene = lettered()
    out = renamed(scene, skin="{asset}_{name}")
    assert out.skins and all(s.name.startswith(f"{out.name}_") for s in out.skins)


def numbered(scene: Scene, **values: object) -> Scene:
    step = get_step("numbers")
    return step.apply(scene, make_settings(step, dict(values)), NOTHING, Job()).scene


def test_each_mesh_keeps_a_texture_of_its_own_and_the_number_names_it() -> None:
    """Three meshes, two of them on one material and one mesh shown twice: the number picks the texture of each."""
    scene = three(["a", "b", "c"], "node")
    shared = replace(scene.meshes[1], primitives=(replace(scene.meshes[1].primitives[0], material=0),))
    scene = replace(
        scene,
        meshes=(scene.meshes[0], shared, scene.meshes[2]),
        nodes=(*scene.nodes, Node(key("node", 9), "d", mesh=2)),
        roots=(0, 1, 2, 3),
    )
    assert {(i, n) for i, _, n in shared_textures(scene, [0, 1, 2, 3])} == {(0, 1), (2, 3)}
    out = numbered(scene, order=True, own_textures=True)
    assert shared_textures(out, [0, 1, 2, 3]) == [] and numbered(out, order=True, own_textures=True) is out
    assert [n.extras[ORDER] for n in out.nodes] == ["1", "2", "3", "4"]
    # Names by the number: what the fourth mesh shows is called 4, and is what it showed before.
    final = renamed(out, image="{asset}_{order}")
    for n, was in enumerate((0, 0, 2, 2)):
        mesh = final.meshes[final.nodes[n].mesh or 0]
        image = final.images[final.materials[mesh.primitives[0].material or 0].textures["base_colour"].image]
        assert image.name == f"asset_{n + 1}"
        assert image.key == scene.images[was].key or scene.images[was].key in image.made_from
    # Renumbered, the textures go along.
    again = renamed(numbered(out, order=True, first=["d"], own_textures=True), image="{asset}_{order}")
    mesh = again.meshes[again.nodes[3].mesh or 0]
    assert (
        again.images[again.materials[mesh.primitives[0].material or 0].textures["base_colour"].image].name
        == "asset_1"
    )
