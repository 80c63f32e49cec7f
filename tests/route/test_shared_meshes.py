"""Meshes that several nodes show: whatever a step does to one of them, no face of the others moves, at any
time.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from customs.job import Job
from customs.route.step import NOTHING, get_step, make_settings
from customs.scene.model import Scene
from tests.drawn import SHAPES, drawn_shared

STILL: dict[str, dict[str, Any]] = {
    "settle": {}, "flatten": {}, "join": {}, "drop-empties": {}, "split-material": {}, "weld": {}, "triangulate": {},
    "drop-broken": {}, "normals": {"only": "all"}, "tangents": {"where": "all"}, "weights": {"limit": 8},
    "weight-sums": {}, "weightless": {}, "split-joints": {"limit": 9}, "leftovers": {"joints": True}, "common-root": {},
    "merge-materials": {}, "leave-out": {"cameras": True, "lights": True}, "unwrap": {}, "rigid": {}, "bind-pose": {},
    "turn-outward": {}, "drop-colours": {}, "numbers": {}, "rename": {"mesh": "{asset}_{index}"},
}  # fmt: skip


def run(step: str, scene: Scene, **values: Any) -> Scene:
    """One step."""
    entry = get_step(step)
    return entry.apply(scene, make_settings(entry, values), NOTHING, Job()).scene


def faces(scene: Scene) -> list[np.ndarray]:
    """At every moment, the middle of every face in the world, sorted."""
    from customs.geometry.triangles import triangles_of
    from customs.motion.posing.pose import posed_scene_points
    from customs.scene.tree import mesh_nodes
    from tests.drawn import moments

    out = []
    for clip, t in moments(scene, 3):
        points = posed_scene_points(scene, clip, t)
        flat = [p for n in mesh_nodes(scene) for p in scene.meshes[scene.nodes[n].mesh or 0].primitives]
        middles = [points[k][triangles_of(p)].mean(axis=1) for k, p in enumerate(flat)]
        middle = np.concatenate(middles)
        out.append(middle[np.lexsort(np.round(middle, 3).T)])
    return out


@pytest.mark.breadth(2)
@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("step", STILL)
def test_no_face_moves(step: str, shape: str) -> None:
    from scipy.spatial import cKDTree

    for seed in range(2):
        scene = drawn_shared(seed, shape)
        out = run(step, scene, **STILL[step])
        keys = [e.key for m in out.meshes for e in (m, *m.primitives)] + [n.key for n in out.nodes]
        assert len(set(keys)) == len(keys), "every element has a Key of its own"
        before, after = faces(scene), faces(out)
        size = float(np.linalg.norm(np.ptp(before[0], axis=0)))
        for a, b in zip(before, after, strict=True):
            assert len(a) == len(b), f"seed {seed}: {len(a)} faces, then {len(b)}"
            assert max(cKDTree(a).query(b)[0].max(), cKDTree(b).query(a)[0].max()) < 3e-4 * size, (
                f"seed {seed}"
            )


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("signs", [(-1, 1, 1), (1, -1, 1), (-1, -1, -1)])
def test_a_mirrored_skeleton_is_settled_and_moves_as_it_did(signs: tuple[int, int, int], seed: int) -> None:
    from dataclasses import replace

    from customs.scene.tree import joint_nodes, world_matrices

    scene = drawn_shared(seed)
    nodes = list(scene.nodes)
    # The whole rig under a mirrored root, and one joint of it mirrored again.
    nodes[4] = replace(nodes[4], scale=nodes[4].scale * np.array(signs, float))
    nodes[7] = replace(nodes[7], scale=nodes[7].scale * np.array((1.0, 1, -1)))
    plain = [replace(c, channels=tuple(ch for ch in c.channels if ch.path != "scale")) for c in scene.clips]
    mirrored = replace(scene, nodes=tuple(nodes), clips=tuple(plain))
    out = run("settle", mirrored)
    for a, b in zip(faces(mirrored), faces(out), strict=True):
        size = float(np.linalg.norm(np.ptp(a, axis=0)))
        assert np.abs(a - b).max() < 1e-3 * size or max(np.abs(a.mean(0) - b.mean(0))) < 1e-5 * size
    world = world_matrices(out)
    assert all(np.linalg.det(world[j][:3, :3]) > 0 for j in joint_nodes(out))
    assert all(
        np.allclose(np.abs(n.scale), 1, atol=1e-4) for i, n in enumerate(out.nodes) if i in joint_nodes(out)
    )
