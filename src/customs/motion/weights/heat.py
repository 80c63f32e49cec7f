"""Weights from the joints alone: heat that flows over the surface from the nearest bones, never through the
air.

Source: I. Baran and J. Popović, "Automatic rigging and animation of 3D characters" (2007), 4: (L + H) w = H
p, where p is 1 for the bone nearest to a vertex and H grows with the inverse square of its distance.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.laplace import cotangent
from customs.geometry.normals import smooth_normals
from customs.later import Sparse, later
from customs.motion.skeleton.skeleton import Skeleton
from customs.motion.weights.table import normalised
from customs.scene.arrays import frozen

sparse = later("scipy.sparse")
sparse_linalg = later("scipy.sparse.linalg")
F64 = npt.NDArray[np.float64]
HEAT = 2.0
"""Strength of the flow from a bone in units of its inverse square distance (no unit). The paper takes 1; with
2 the edges of our demo figures stretch least while they move (measured at 1, 2, 4 and 8)."""


def bone_segments(skeleton: Skeleton) -> tuple[F64, F64, npt.NDArray[np.intp]]:
    """(starts (B, 3), ends (B, 3), joint (B,)): from each joint to each of its children, a stub where it has
    none.
    """
    starts, ends, owner = [], [], []
    for k in range(skeleton.count):
        kids = skeleton.children[k]
        tips = [skeleton.places[c] for c in kids]
        if not kids:
            up = skeleton.parent[k]
            way = (
                skeleton.places[k] - skeleton.places[up]
                if up >= 0
                else np.array([0.0, 0.02 * skeleton.size, 0.0])
            )
            tips = [skeleton.places[k] + 0.4 * way]
        for tip in tips:
            starts.append(skeleton.places[k])
            ends.append(tip)
            owner.append(k)
    return np.array(starts).reshape(-1, 3), np.array(ends).reshape(-1, 3), np.array(owner, dtype=np.intp)


def to_segments(points: npt.NDArray[Any], starts: F64, ends: F64) -> tuple[F64, F64]:
    """(distance (V, B), nearest points (V, B, 3)) of points (V, 3) to segments."""
    way = ends - starts
    length = np.maximum((way * way).sum(axis=1), 1e-18)
    t = np.clip(((points[:, None] - starts) * way).sum(axis=2) / length, 0, 1)
    near = starts + t[..., None] * way
    return np.linalg.norm(points[:, None] - near, axis=2), near


def nearest_bones(
    points: npt.NDArray[Any], normals: F64, skeleton: Skeleton, chosen: Sequence[int] | None = None
) -> tuple[npt.NDArray[np.intp], F64]:
    """(joint (V,), distance (V,)): the nearest bone that lies on the inner side of the surface at each
    vertex.

    A bone that the surface faces lies outside here, as the other leg does from the inner side of one: it is
    passed over, at the price of up to three times the distance, where any other is near.
    """
    starts, ends, owner = bone_segments(skeleton)
    if chosen is not None:
        keep = np.isin(owner, list(chosen))
        starts, ends, owner = starts[keep], ends[keep], owner[keep]
    joint, distance = np.zeros(len(points), np.intp), np.zeros(len(points))
    for k in range(0, len(points), 8192):
        p, n = points[k : k + 8192].astype(np.float64), normals[k : k + 8192]
        far, near = to_segments(p, starts, ends)
        outward = np.einsum("vbi,vi->vb", p[:, None] - near, n)
        judged = np.where(outward >= -0.15 * far, far, 3 * far + 1e-9)
        pick = judged.argmin(axis=1)
        joint[k : k + 8192] = owner[pick]
        distance[k : k + 8192] = far[np.arange(len(p)), pick]
    return joint, distance


def heat_weights(
    points: npt.NDArray[Any], faces: npt.NDArray[Any], skeleton: Skeleton, chosen: Sequence[int] | None = None
) -> F64:
    """(V, J) weights of a mesh `points` (V, 3), `faces` (F, 3) from the bones of `skeleton` (only joints
    `chosen`).
    """
    normals = smooth_normals(frozen(points), frozen(faces, np.uint32)).astype(np.float64)
    joint, distance = nearest_bones(points, normals, skeleton, chosen)
    lap, mass = cotangent(points, faces)
    floor = max(float(np.percentile(distance, 5)) if len(distance) else 0.0, 1e-4 * skeleton.size)
    return normalised(diffused(lap, mass, HEAT / np.maximum(distance, floor) ** 2, joint, skeleton.count))


def diffused(lap: Sparse, mass: F64, strength: F64, joint: npt.NDArray[np.intp], count: int) -> F64:
    """(V, count) the solution of (L + M·H) w = M·H·p for every joint: `strength` H (V,), `joint` the one p is
    1 for (V,).
    """
    source = np.maximum(mass * strength, 1e-12)
    right = np.zeros((len(mass), count))
    right[np.arange(len(mass)), joint] = source
    used = np.unique(joint)
    out = np.zeros((len(mass), count))
    out[:, used] = sparse_linalg.splu((lap + sparse.diags(source)).tocsc()).solve(right[:, used])
    return np.clip(out, 0.0, 1.0)
