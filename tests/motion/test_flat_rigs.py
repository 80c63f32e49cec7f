"""Skeletons without a hierarchy: leftovers may take a joint, never a skin that moves something."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from customs.job import Job
from customs.motion.posing.pose import posed_scene_points
from customs.motion.rig.leftovers import skeletons
from customs.route.step import NOTHING, get_step, make_settings
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Mesh, Node, Primitive, Scene, Skin
from customs.work.asset import Request, prepare
from customs.work.lookup import find_sheet
from tests.assets import DIGEST, cube, key, saved


def part(number: int, joint: int) -> Primitive:
    """A block bound wholly to one joint."""
    block = cube(0.4, number)
    joints, weights = np.zeros((24, 4), np.uint16), np.zeros((24, 4), np.float32)
    joints[:], weights[:, 0] = joint, 1
    place = frozen(block.positions + np.array([number, 0, 0], np.float32))
    return replace(block, positions=place, joints=frozen(joints, np.uint16), weights=frozen(weights))


def flat(apart: str = "one mesh") -> Scene:
    """Two blocks on two joints side by side, a third joint idle; as one mesh, two meshes of a skin, or two of
    two skins.
    """
    nodes = [
        Node(key("node", 0), "rig", children=(1, 2, 3)), Node(key("node", 1), "a"),
        Node(key("node", 2), "b", translation=np.array([1.0, 0, 0])),
        Node(key("node", 3), "tip", translation=np.array([2.0, 0, 0])), Node(key("node", 4), "body", mesh=0, skin=0),
    ]  # fmt: skip
    back = np.stack([np.eye(4)] * 3)
    back[1:, 0, 3] = (-1, -2)
    up = Channel(1, "translation", frozen([0.0, 1]), frozen([[0, 0, 0], [0, 1, 0]]))
    out = Channel(2, "translation", frozen([0.0, 1]), frozen([[1, 0, 0], [1, 0, 1]]))
    meshes: tuple[Mesh, ...] = (Mesh(key("mesh", 0), "both", (part(0, 0), part(1, 1))),)
    skins = [Skin(key("skin", 0), "s", (1, 2, 3), frozen(back, np.float64))]
    if apart != "one mesh":
        second = 1 if apart == "two skins" else 0
        meshes = (
            Mesh(key("mesh", 0), "a", (part(0, 0),)),
            Mesh(key("mesh", 1), "b", (part(1, 0 if second else 1),)),
        )
        nodes.append(Node(key("node", 5), "other", mesh=1, skin=second))
    if apart == "two skins":
        skins = [
            Skin(key("skin", k), f"s{k}", (1 + k,), frozen(back[k : k + 1], np.float64)) for k in range(2)
        ]
    roots = (0, *range(4, len(nodes)))
    return Scene("flat", DIGEST, tuple(nodes), roots, meshes, skins=tuple(skins),
                 clips=(Clip(key("clip", 0), "go", (up, out)),), format="glb")  # fmt: skip


def moved(scene: Scene) -> list[np.ndarray]:
    """Points at three times of the clip, sorted."""
    out = []
    for t in (0.0, 0.4, 1.0):
        points = np.concatenate(posed_scene_points(scene, scene.clips[0], t))
        out.append(points[np.lexsort(np.round(points, 4).T)])
    return out


@pytest.mark.parametrize("apart", ["one mesh", "two meshes", "two skins"])
@pytest.mark.parametrize(
    "values", [{"joints": True}, {"skeletons": True}, {"joints": True, "skeletons": True}]
)
def test_what_moves_something_stays(values: dict[str, bool], apart: str) -> None:
    scene, step = flat(apart), get_step("leftovers")
    if apart == "two skins" and "skeletons" in values:
        pytest.skip("two skeletons in two skins are put under one joint instead, below")
    out = step.apply(scene, make_settings(step, values), NOTHING, Job()).scene
    assert out.skins and len(out.clips) == 1 and len(out.clips[0].channels) == 2
    for a, b in zip(moved(scene), moved(out), strict=True):
        assert np.abs(a - b).max() < 1e-5


@pytest.mark.parametrize("apart", ["one mesh", "two meshes", "two skins"])
@pytest.mark.parametrize("sheet", ["clips-apart-kit", "split-rig-kit"])
def test_they_arrive_with_skin_and_clips(sheet: str, apart: str, tmp_path: Path) -> None:
    scene = flat(apart)
    path = saved(scene, tmp_path / "flat.glb")
    done = prepare(Request(path, path.parent, find_sheet(sheet)))
    assert {r.requirement for r in done.ledger.open()} <= {"every-face", "uv-flipped"}
    final = done.passed[-1].scene
    assert len(skeletons(final).tops) == 1 and final.skins and len(final.clips[0].channels) == 2
    shift = None
    for a, b in zip(moved(scene), moved(final), strict=True):
        shift = b.mean(axis=0) - a.mean(axis=0) if shift is None else shift
        assert np.abs(b - a - shift).max() < 1e-4
