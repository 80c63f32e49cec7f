"""Many poses at once against frame by frame, to the last bit, and against the formula of the standard."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from customs.motion.curves.track import local_track, world_track
from customs.motion.posing.deviation import deviation
from customs.motion.posing.frames import by_frames, by_kernel
from customs.scene.arrays import frozen
from customs.scene.model import Scene
from tests.kernels.test_kernels import compiled, got
from tests.motion.rigs import bar

__all__ = ["compiled"]


def rig(count: int, width: int, seed: int, weights: str = "drawn") -> Scene:
    """The bar with its mesh exchanged for `count` drawn points on `width` influences."""
    scene, rng = bar(), np.random.default_rng(seed)
    prim = scene.meshes[0].primitives[0]
    table = rng.random((count, width)).astype(np.float32)
    if weights == "broken":
        table[:: max(count // 3, 1)] = np.array([np.nan, np.inf, 0.0, -1.0, 1e38, 1e-45] * 2)[:width]
    drawn = replace(
        prim,
        positions=frozen(rng.normal(size=(count, 3)).astype(np.float32)),
        joints=frozen(rng.integers(0, len(scene.skins[0].joints), (count, width)), np.uint16),
        weights=frozen(table),
        indices=None,
        normals=None,
        tangents=None,
        texcoords=(),
        colours=(),
        targets=(),
    )
    return replace(scene, meshes=(replace(scene.meshes[0], primitives=(drawn,)),))


def worlds(scene: Scene, times: int) -> np.ndarray:
    return world_track(scene, local_track(scene, scene.clips[0], np.linspace(0, 1, times)))


def shown(scene: Scene) -> int:
    return next(k for k, n in enumerate(scene.nodes) if n.mesh is not None)


@pytest.mark.parametrize("weights", ["drawn", "broken"])
@pytest.mark.parametrize(
    ("count", "width", "times"), [(0, 4, 3), (1, 4, 1), (700, 1, 5), (700, 4, 9), (90, 12, 2)]
)
def test_poses_are_those_of_each_frame(count: int, width: int, times: int, weights: str) -> None:
    scene = rig(count, width, count + width, weights)
    node, prim, world = shown(scene), scene.meshes[0].primitives[0], worlds(scene, times)
    with np.errstate(all="ignore"):
        quick = by_kernel(got("skin"), scene, node, prim, world)
        slow = by_frames(scene, node, prim, world)
    assert quick is not None and quick.shape == (times, count, 3)
    assert np.array_equal(quick, slow, equal_nan=True)


@given(st.integers(0, 2**32 - 1), st.integers(1, 60), st.integers(1, 8))
def test_poses_are_the_weighted_sum_of_the_joints(seed: int, count: int, width: int) -> None:
    """glTF 2.0, skins: the sum over joints of weight · joint matrix · inverse bind matrix · position."""
    scene = rig(count, width, seed)
    node, prim, world = shown(scene), scene.meshes[0].primitives[0], worlds(scene, 3)
    out, skin = by_kernel(got("skin"), scene, node, prim, world), scene.skins[0]
    assert out is not None and prim.joints is not None and prim.weights is not None
    v = int(np.random.default_rng(seed).integers(count))
    for t in range(3):
        expected = sum(
            float(w) * (world[t, skin.joints[j]] @ skin.inverse_bind[j] @ [*prim.positions[v], 1.0])[:3]
            for j, w in zip(prim.joints[v], prim.weights[v])
        )
        assert out[t, v] == pytest.approx(expected, abs=1e-9)


def test_a_number_no_joint_has_is_not_looked_up() -> None:
    scene = rig(40, 4, 1)
    prim = scene.meshes[0].primitives[0]
    joints = np.array(prim.joints)
    joints[3, 2] = 65_535
    broken = replace(prim, joints=frozen(joints, np.uint16))
    assert by_kernel(got("skin"), scene, shown(scene), broken, worlds(scene, 2)) is None


def test_the_worst_vertex_is_found_whichever_way_it_is_posed(monkeypatch: pytest.MonkeyPatch) -> None:
    before = rig(900, 4, 3)
    prim = before.meshes[0].primitives[0]
    moved = np.array(prim.weights)
    moved[411] = moved[411][::-1]
    after = replace(
        before, meshes=(replace(before.meshes[0], primitives=(replace(prim, weights=frozen(moved)),)),)
    )
    slow = deviation(before, after)
    monkeypatch.setattr("customs.motion.posing.frames.kernel_for", lambda name, count: got(name))
    assert deviation(before, after) == slow and slow is not None and slow.distance > 0
    assert deviation(before, before) is not None and deviation(before, before).distance == 0.0  # type: ignore[union-attr]
    # A vertex that is nowhere hides no other.
    lost = np.array(prim.positions)
    lost[5] = np.nan
    holes = [
        replace(
            s,
            meshes=(
                replace(
                    s.meshes[0], primitives=(replace(s.meshes[0].primitives[0], positions=frozen(lost)),)
                ),
            ),
        )
        for s in (before, after)
    ]
    assert deviation(*holes) is not None
