"""What a skeleton moves where it rests, as one surface with its weights: where weights for another mesh come from."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from customs.geometry.closest import Surface
from customs.geometry.triangles import triangles_of
from customs.motion.posing.pose import posed_positions
from customs.motion.weights.table import table_of
from customs.scene.model import Scene
from customs.scene.tree import mesh_nodes, world_matrices


class Bound(NamedTuple):
    """The surface, its faces (F, 3) over its vertices, their weights (V, J) by the joints asked for."""

    surface: Surface
    faces: npt.NDArray[np.uint32]
    weights: npt.NDArray[np.float64]


def bound_surface(scene: Scene, names: Sequence[str]) -> Bound | None:
    """All skinned meshes of a scene where they rest, with weights by the joints `names`; joints of other names count for
    nothing. None where nothing is bound to any of them.
    """
    points, faces, tables, start, world = list[Any](), list[Any](), list[Any](), 0, world_matrices(scene)
    place = {name: k for k, name in reversed(list(enumerate(names)))}
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        if node.skin is None or node.mesh is None:
            continue
        joints = [scene.nodes[j].name for j in scene.skins[node.skin].joints]
        for p in scene.meshes[node.mesh].primitives:
            dense, out = table_of(p, len(joints)).toarray(), np.zeros((len(p.positions), len(names)))
            for k, name in enumerate(joints):
                if name in place:
                    out[:, place[name]] += dense[:, k]
            points.append(posed_positions(scene, n, p, world))
            faces.append(triangles_of(p).astype(np.int64) + start)
            tables.append(out)
            start += len(out)
    if not points or not sum(t.sum() for t in tables) or not sum(map(len, faces)):
        return None
    whole, cut = np.concatenate(points), np.concatenate(faces).astype(np.uint32)
    sound = np.isfinite(whole).all(axis=1)
    cut = cut[sound[cut].all(axis=1)]
    return Bound(Surface(whole, cut), cut, np.concatenate(tables)) if len(cut) else None
