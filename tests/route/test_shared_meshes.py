"""Meshes that several nodes show: whatever a step does to one of them, no face of the others moves, at any time."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from customs.route.step import NOTHING, Job, get_step, make_settings
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
    from customs.motion.pose import posed_scene_points
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


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("step", STILL)
def test_no_face_moves(step: str, shape: str) -> None:
    from scipy.spatial import cKDTree

    for seed in range(3):
        scene = drawn_shared(seed, shape)
        before, after = faces(scene), faces(run(step, scene, **STILL[step]))
        size = float(np.linalg.norm(np.ptp(before[0], axis=0)))
        for a, b in zip(before, after, strict=True):
            assert len(a) == len(b), f"seed {seed}: {len(a)} faces, then {len(b)}"
            assert max(cKDTree(a).query(b)[0].max(), cKDTree(b).query(a)[0].max()) < 3e-4 * size, f"seed {seed}"
