"""Sampling clips and skinning vertices."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.kernels.cores import cores
from customs.later import Sparse, later
from customs.motion.curves.keys import sample
from customs.motion.posing.posing import posing
from customs.scene.kept import latest
from customs.scene.model import Clip, Mesh, Primitive, Scene
from customs.scene.tree import mesh_nodes

sparse = later("scipy.sparse")
F64 = npt.NDArray[np.float64]
WORTH_CORES, MOST_CORES = 20_000, 8
"""Vertices from which skinning is shared among cores, and among how many at most (counts)."""


def morph_weights(
    scene: Scene, node: int, clip: Clip | None, seconds: float
) -> npt.NDArray[np.float32] | None:
    """Morph weights (T,) of the mesh at `node`: from the clip, the node, or the mesh."""
    for channel in clip.channels if clip else ():
        if channel.node == node and channel.path == "weights" and len(channel.times):
            return sample(channel, seconds).astype(np.float32)
    own = scene.nodes[node]
    if own.weights is not None:
        return own.weights
    return scene.meshes[own.mesh].weights if own.mesh is not None else None


def joint_matrices(scene: Scene, skin: int, world: Sequence[F64] | F64) -> F64:
    """World · inverse bind per joint of a skin, (J, 4, 4)."""
    s = scene.skins[skin]
    return np.stack([world[j] for j in s.joints]) @ s.inverse_bind


def morphed(prim: Primitive, weights: npt.NDArray[Any] | None) -> npt.NDArray[np.float32]:
    """Positions (V, 3) with morph targets added."""
    out = prim.positions
    for target, weight in zip(prim.targets, weights if weights is not None else ()):
        if weight and target.positions is not None:
            out = out + np.float32(weight) * target.positions
    return out


def weight_matrix(prim: Primitive, joints: int) -> Sparse:
    """Sparse (V, joints) float64 matrix of a primitive's weights, kept as long as the primitive lives."""
    return latest("weights", prim, joints, lambda: _weight_matrix(prim, joints))


def _weight_matrix(prim: Primitive, joints: int) -> Sparse:
    assert prim.joints is not None and prim.weights is not None
    count, width = prim.joints.shape
    pointers = np.arange(0, count * width + 1, width)
    data = prim.weights.reshape(-1).astype(np.float64)
    return sparse.csr_matrix(
        (data, prim.joints.reshape(-1).astype(np.int32), pointers), shape=(count, joints)
    )


def skin_matrices(prim: Primitive, matrices: F64) -> F64:
    """Blended matrix per vertex (V, 3, 4): linear blend skinning, weights · joint matrices (J, 4, 4)."""
    flat = matrices[:, :3, :].reshape(len(matrices), 12)
    return (weight_matrix(prim, len(matrices)) @ flat).reshape(-1, 3, 4)


@dataclass(frozen=True, eq=False)
class _Rows:
    """What skinning needs of a primitive beside its joint matrices: its weights in runs of rows, its places
    (V, 4) with a 1.
    """

    runs: tuple[tuple[slice, Sparse], ...]
    places: F64


def _rows_of(prim: Primitive, joints: int) -> _Rows:
    count = len(prim.positions)
    used = min(cores(), MOST_CORES) if count >= WORTH_CORES else 1
    step = max(-(-count // used), 1)
    table = weight_matrix(prim, joints)
    runs = tuple(
        (slice(k, k + step), table[k : k + step] if used > 1 else table)
        for k in range(0, max(count, 1), step)
    )
    return _Rows(runs, _with_one(prim.positions))


def _with_one(points: npt.NDArray[Any]) -> F64:
    out = np.ones((len(points), 4))
    out[:, :3] = points
    return out


def _skinned(prim: Primitive, points: npt.NDArray[Any], matrices: F64) -> F64:
    """World positions (V, 3): the blended matrices times the places, run by run, on several cores where it is
    worth it.
    """
    rows = latest("rows", prim, len(matrices), lambda: _rows_of(prim, len(matrices)))
    places = rows.places if points is prim.positions else _with_one(points)
    flat = np.ascontiguousarray(matrices[:, :3, :]).reshape(len(matrices), 12)
    out = np.empty((len(places), 3))

    def blend(run: tuple[slice, Sparse]) -> None:
        at, table = run
        np.einsum("vij,vj->vi", (table @ flat).reshape(-1, 3, 4), places[at], out=out[at])

    if len(rows.runs) == 1:
        blend(rows.runs[0])
    else:
        with ThreadPoolExecutor(len(rows.runs)) as threads:
            list(threads.map(blend, rows.runs))
    return out


def posed_positions(
    scene: Scene,
    node: int,
    prim: Primitive,
    world: Sequence[F64] | F64,
    weights: npt.NDArray[Any] | None = None,
) -> F64:
    """World positions (V, 3) float64 of a primitive at `node`: morphed, then skinned or placed."""
    skin = scene.nodes[node].skin
    if skin is not None and prim.joints is not None and prim.weights is not None:
        return _skinned(prim, morphed(prim, weights), joint_matrices(scene, skin, world))
    points = morphed(prim, weights).astype(np.float64)
    m = world[node]
    return points @ m[:3, :3].T + m[:3, 3]


def posed_scene_points(scene: Scene, clip: Clip | None = None, seconds: float = 0.0) -> list[F64]:
    """World positions of every primitive of every mesh node, in walking order."""
    world = posing(scene, clip).world(seconds)
    out = []
    for node in mesh_nodes(scene):
        mesh: Mesh = scene.meshes[scene.nodes[node].mesh or 0]
        weights = morph_weights(scene, node, clip, seconds)
        out += [posed_positions(scene, node, p, world, weights) for p in mesh.primitives]
    return out
