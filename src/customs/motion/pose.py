"""Sampling clips and skinning vertices."""

from __future__ import annotations

import weakref
from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import sparse

from customs.motion.keys import sample
from customs.motion.posing import posing
from customs.scene.model import Clip, Mesh, Primitive, Scene
from customs.scene.tree import mesh_nodes

F64 = npt.NDArray[np.float64]


def morph_weights(scene: Scene, node: int, clip: Clip | None, seconds: float) -> npt.NDArray[np.float32] | None:
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


_tables: weakref.WeakKeyDictionary[Primitive, tuple[int, sparse.csr_matrix]] = weakref.WeakKeyDictionary()


def weight_matrix(prim: Primitive, joints: int) -> sparse.csr_matrix:
    """Sparse (V, joints) float64 matrix of a primitive's weights, kept as long as the primitive lives."""
    known = _tables.get(prim)
    if known is None or known[0] != joints:
        known = _tables[prim] = (joints, _weight_matrix(prim, joints))
    return known[1]


def _weight_matrix(prim: Primitive, joints: int) -> sparse.csr_matrix:
    assert prim.joints is not None and prim.weights is not None
    count, width = prim.joints.shape
    pointers = np.arange(0, count * width + 1, width)
    data = prim.weights.reshape(-1).astype(np.float64)
    return sparse.csr_matrix((data, prim.joints.reshape(-1).astype(np.int32), pointers), shape=(count, joints))


def skin_matrices(prim: Primitive, matrices: F64) -> F64:
    """Blended matrix per vertex (V, 3, 4): linear blend skinning, weights · joint matrices (J, 4, 4)."""
    flat = matrices[:, :3, :].reshape(len(matrices), 12)
    return (weight_matrix(prim, len(matrices)) @ flat).reshape(-1, 3, 4)


def posed_positions(
    scene: Scene, node: int, prim: Primitive, world: Sequence[F64] | F64, weights: npt.NDArray[Any] | None = None
) -> F64:
    """World positions (V, 3) float64 of a primitive at `node`: morphed, then skinned or placed."""
    points = morphed(prim, weights).astype(np.float64)
    skin = scene.nodes[node].skin
    if skin is not None and prim.joints is not None and prim.weights is not None:
        blend = skin_matrices(prim, joint_matrices(scene, skin, world))
        return np.einsum("vij,vj->vi", blend[:, :, :3], points) + blend[:, :, 3]
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
