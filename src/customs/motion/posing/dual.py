"""Skinning by dual quaternions: what a twisted joint looks like where it does not collapse, to judge weights
by.

Source: L. Kavan, S. Collins, J. Žára and C. O'Sullivan, "Skinning with dual quaternions" (2007), in its two
phases: scale and shear are blended linearly first, turns and moves by dual quaternions then.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.motion.curves.track import local_track, skin_track, spread_times, world_track
from customs.motion.posing.pose import weight_matrix
from customs.scene.model import Clip, Primitive, Scene
from customs.scene.transforms import decompose_all, multiply_quaternions, quaternion_matrix
from customs.scene.tree import mesh_nodes

F64 = npt.NDArray[np.float64]


def dual_quaternions(matrices: F64) -> tuple[F64, F64, F64]:
    """(real (J, 4), dual (J, 4), stretch (J, 3, 3)) of matrices (J, 4, 4) = move · turn · stretch: dual = ½ ·
    move · real.
    """
    t, q, _, _ = decompose_all(matrices)
    moved = np.concatenate([t, np.zeros((len(t), 1))], axis=1)
    stretch = np.swapaxes(quaternion_matrix(q), -1, -2) @ matrices[:, :3, :3]
    return q, 0.5 * multiply_quaternions(moved, q), stretch


def dual_positions(prim: Primitive, matrices: F64) -> F64:
    """Positions (V, 3) of a primitive blended by dual quaternions of its joint matrices (J, 4, 4).

    Each influence is taken on the side of the strongest one, so that the blend goes the short way.
    """
    assert prim.joints is not None and prim.weights is not None
    real, dual, stretch = dual_quaternions(matrices)
    rows = np.arange(len(prim.positions))
    lead = real[prim.joints[rows, prim.weights.argmax(axis=1)]]
    side = np.where(np.einsum("vkq,vq->vk", real[prim.joints], lead) < 0, -1.0, 1.0)
    share = prim.weights.astype(np.float64) * side
    r = np.einsum("vk,vkq->vq", share, real[prim.joints])
    d = np.einsum("vk,vkq->vq", share, dual[prim.joints])
    length = np.linalg.norm(r, axis=1, keepdims=True)
    r, d = r / np.where(length > 1e-12, length, 1), d / np.where(length > 1e-12, length, 1)
    shift = 2 * multiply_quaternions(d, r * np.array([-1.0, -1.0, -1.0, 1.0]))[:, :3]
    drawn = (weight_matrix(prim, len(matrices)) @ stretch.reshape(-1, 9)).reshape(-1, 3, 3)
    first = np.einsum("vij,vj->vi", drawn, prim.positions.astype(np.float64))
    turned = np.einsum("vij,vj->vi", quaternion_matrix(r), first)
    return turned + shift


def squeeze(scene: Scene, clip: Clip, frames: int = 16) -> float:
    """Most a vertex of the linear blend is from the blend by dual quaternions (units), over evenly spread
    times of a clip.
    """
    times, worst = spread_times(clip, frames), 0.0
    world = world_track(scene, local_track(scene, clip, times))
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        if node.skin is None:
            continue
        track = skin_track(scene, node.skin, world)
        skinned = [
            p
            for p in scene.meshes[node.mesh or 0].primitives
            if p.joints is not None and p.weights is not None
        ]
        worst = max([worst, *(float(collapse(p, m).max(initial=0.0)) for p in skinned for m in track)])
    return worst


def collapse(prim: Primitive, matrices: F64) -> F64:
    """(V,) how far linear blending is from the blend by dual quaternions (units): where a twist squeezes the
    mesh.
    """
    blend = (weight_matrix(prim, len(matrices)) @ matrices[:, :3, :].reshape(len(matrices), 12)).reshape(
        -1, 3, 4
    )
    linear = np.einsum("vij,vj->vi", blend[:, :, :3], prim.positions.astype(np.float64)) + blend[:, :, 3]
    return np.linalg.norm(linear - dual_positions(prim, matrices), axis=1)
