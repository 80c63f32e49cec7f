"""Levels that came along kept as levels: where they stood, bound as they were; what cannot be is left and said."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from customs.geometry.counts import counts
from customs.landing.land import land
from customs.scene.levels import at_level
from customs.scene.model import Channel, Clip, Material, Mesh, Node, Scene, Skin
from customs.sheet.load import load_sheet
from customs.work.lookup import find_sheet
from tests.assets import key
from tests.changes.test_came_levels import named
from tests.changes.test_coarser import run
from tests.landing.test_rules import delivered, refusals

NAMES = ("stork_lod0", "stork_lod1", "stork_lod2")


def plain(*names: str) -> Scene:
    """Balls without colours and morph targets, in names of levels."""
    scene = named(*names)
    meshes = tuple(
        replace(m, primitives=tuple(replace(p, targets=(), colours=()) for p in m.primitives))
        for m in scene.meshes
    )
    return replace(scene, meshes=meshes, name="stork")


def test_levels_are_kept_with_distances_and_the_plain_name() -> None:
    out = run("kept-levels", plain(*NAMES))
    (node,), (mesh,) = out.scene.nodes, out.scene.meshes
    assert node.name == "stork" and len(mesh.levels) == 2 and len(mesh.reach) == 3
    assert [counts(at_level(out.scene, k))["triangles"] for k in range(3)] == [1280, 320, 80]
    assert mesh.reach[0] < mesh.reach[1] < mesh.reach[2] == 10_000
    assert "3 levels kept (1,280 · 320 · 80 triangles)" in out.remarks[0].text
    assert run("kept-levels", plain(*NAMES), last=50).scene.meshes[0].reach[-1] >= 50
    assert run("kept-levels", plain("a", "b", "c")).remarks == ()


def test_a_level_that_stands_otherwise_is_put_where_the_finest_stands() -> None:
    """Its node moved and scaled, its points the other way: the level lies where it lay, by trimesh's own transforms."""
    scene = plain(*NAMES)
    move = np.array(trimesh.transformations.translation_matrix([3, -1, 2])) @ np.diag([2.0, 2, 2, 1])
    points = trimesh.transform_points(scene.meshes[1].primitives[0].positions, np.linalg.inv(move))
    prim = replace(scene.meshes[1].primitives[0], positions=points.astype(np.float32))
    moved = replace(
        scene,
        nodes=(scene.nodes[0], replace(scene.nodes[1], matrix=move), scene.nodes[2]),
        meshes=(scene.meshes[0], replace(scene.meshes[1], primitives=(prim,)), scene.meshes[2]),
    )
    kept = run("kept-levels", moved).scene.meshes[0].levels[0].primitives[0]
    assert np.allclose(kept.positions, scene.meshes[1].primitives[0].positions, atol=1e-5)
    assert np.allclose(kept.normals, scene.meshes[1].primitives[0].normals, atol=1e-5)  # type: ignore[arg-type]


@pytest.mark.parametrize("sheet", ["metre-yup-pbr", "centimetre-zup-lh"])
def test_what_was_kept_is_delivered_and_landed(sheet: str, tmp_path: Path) -> None:
    scene = run("kept-levels", plain(*NAMES)).scene
    folder = delivered(scene, load_sheet(sheet), tmp_path)
    log = land(folder, find_sheet)
    assert not [r for r in refusals(log).splitlines() if "lod" in r or "level" in r]
    assert any("2 levels beside the finest" in line.text for line in log.lines)


def _with_material(scene: Scene) -> Scene:
    prim = replace(scene.meshes[1].primitives[0], material=0)
    mesh = replace(scene.meshes[1], primitives=(prim,))
    return replace(
        scene,
        materials=(Material(key("material", 0), "far"),),
        meshes=(scene.meshes[0], mesh, scene.meshes[2]),
    )


def _moving(scene: Scene) -> Scene:
    times, values = np.array([0, 1], np.float32), np.array([[0, 0, 0], [0, 1, 0]], np.float32)
    clip = Clip(key("clip", 0), "sway", (Channel(1, "translation", times, values),))
    return replace(scene, clips=(clip,))


def _elsewhere(scene: Scene) -> Scene:
    other = Node(key("node", 9), "another", mesh=0)
    return replace(scene, nodes=(*scene.nodes, other), roots=(*scene.roots, 3))


def _holding(scene: Scene) -> Scene:
    nodes = (scene.nodes[0], replace(scene.nodes[1], children=(3,)), scene.nodes[2])
    return replace(scene, nodes=(*nodes, Node(key("node", 9), "feather")))


def _skinned(scene: Scene) -> Scene:
    skin = Skin(key("skin", 0), "s", (3,), np.eye(4)[None])
    nodes = (scene.nodes[0], replace(scene.nodes[1], skin=0), scene.nodes[2], Node(key("node", 9), "joint"))
    return replace(scene, nodes=nodes, roots=(*scene.roots, 3), skins=(skin,))


def _flat(scene: Scene) -> Scene:
    return replace(scene, nodes=(replace(scene.nodes[0], scale=(0.0, 1.0, 1.0)), *scene.nodes[1:]))


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (_with_material, "stork_lod1 has far, the finest has not"), (_moving, "stork_lod1 moves by itself"),
        (_elsewhere, "stands elsewhere without them"), (_holding, "holds more than a mesh"),
        (_skinned, "has no skeleton"),
    ],
)  # fmt: skip
def test_what_cannot_be_levels_stays_and_is_said(change: Callable[[Scene], Scene], why: str) -> None:
    scene = change(plain(*NAMES))
    out = run("kept-levels", scene)
    assert out.scene is scene and len(out.remarks) == 1 and why in out.remarks[0].text


def test_a_finest_without_size_is_no_crash() -> None:
    scene = _flat(plain(*NAMES))
    assert run("kept-levels", scene).scene.meshes[0].levels == ()


def test_levels_on_fewer_joints_of_the_same_skeleton_are_bound_to_its_skin() -> None:
    scene = plain(*NAMES)
    joints = tuple(Node(key("node", 10 + k), f"j{k}") for k in range(3))
    binds = np.tile(np.eye(4), (3, 1, 1))
    binds[:, 1, 3] = [0, 1, 2]
    skins = (
        Skin(key("skin", 0), "all", (3, 4, 5), binds), Skin(key("skin", 1), "few", (5, 3), binds[[2, 0]]),
        Skin(key("skin", 2), "posed", (5, 3), binds[[2, 0]] + 0.02),
    )  # fmt: skip

    def bound(mesh: Mesh, joint: int) -> Mesh:
        count = len(mesh.primitives[0].positions)
        joints = np.full((count, 4), joint, np.uint16)
        weights = np.tile(np.array([1, 0, 0, 0], np.float32), (count, 1))
        return replace(mesh, primitives=(replace(mesh.primitives[0], joints=joints, weights=weights),))

    def rigged(skin: int) -> Scene:
        nodes = [replace(n, skin=skin if k == 1 else 0) for k, n in enumerate(scene.nodes)]
        meshes = [bound(m, 0 if k == 1 else 2) for k, m in enumerate(scene.meshes)]
        return replace(
            scene, nodes=(*nodes, *joints), roots=(*scene.roots, 3, 4, 5), skins=skins, meshes=tuple(meshes)
        )

    level = run("kept-levels", rigged(1)).scene.meshes[0].levels[0].primitives[0]
    # Joint 0 of the few is the third of all.
    assert level.joints is not None and set(level.joints[:, 0].tolist()) == {2}
    assert "bound in another pose" in run("kept-levels", rigged(2)).remarks[0].text


def test_the_same_mesh_with_other_levels_elsewhere_is_left() -> None:
    scene = plain(*NAMES)
    more = tuple(Node(key("node", 20 + k), f"heron_lod{k}", mesh=m) for k, m in enumerate((0, 2)))
    twice = replace(scene, nodes=(*scene.nodes, *more), roots=(*scene.roots, 3, 4))
    said = [r.text for r in run("kept-levels", twice).remarks]
    assert "stork: 3 levels kept" in said[0] and "the same mesh has other ones elsewhere" in said[1]
