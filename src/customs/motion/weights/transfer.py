"""Weights from another surface: from the closest point where that is near and faces alike, spread over the
mesh elsewhere.

Source of the two stages: R. Abdrashitov and others, "Robust skin weights transfer via weight inpainting"
(2023).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.closest import Surface
from customs.geometry.laplace import cotangent, neighbours
from customs.geometry.normals import smooth_normals
from customs.later import Sparse, later
from customs.motion.weights.table import normalised
from customs.scene.arrays import frozen

sparse = later("scipy.sparse")
sparse_linalg = later("scipy.sparse.linalg")
F64 = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Transferred:
    """`table` (V, J) weights; `sure` (V,) True where they come straight from the surface; the farthest such
    point (units).
    """

    table: F64
    sure: npt.NDArray[np.bool_]
    farthest: float


def transfer(
    points: npt.NDArray[Any],
    faces: npt.NDArray[Any],
    surface: Surface,
    surface_faces: npt.NDArray[Any],
    weights: F64,
    near: float,
    degrees: float = 50.0,
    smooth: int = 2,
) -> Transferred:
    """Weights for `points` (V, 3) of a mesh with `faces` (F, 3), from `weights` (W, J) at the corners of
    `surface_faces`.

    A vertex is sure where the surface is within `near` (units) and its normal within `degrees`; the others
    take what a smooth spread over the mesh from the sure ones gives. `smooth` rounds then soften where the
    two meet.
    """
    own = smooth_normals(frozen(points), frozen(faces, np.uint32)).astype(np.float64)
    close = surface.closest(points, own)
    table = np.einsum("vk,vkj->vj", close.shares, weights[surface_faces[close.face]])
    alike = np.einsum("ij,ij->i", own, surface.normals[close.face]) >= np.cos(np.radians(degrees))
    sure = (close.distance <= near) & alike & (table.sum(axis=1) > 1e-6)
    if not sure.any():
        sure = table.sum(axis=1) > 1e-6
    table = inpaint(points, faces, table, sure)
    graph = neighbours(faces, len(points))
    edge = ~sure | (np.asarray(graph @ (~sure).astype(np.float64)) > 0)
    for _ in range(smooth):
        table = np.where(edge[:, None], softened(table, graph), table)
    return Transferred(normalised(table), sure, float(close.distance[sure].max(initial=0.0)))


def softened(table: F64, graph: Sparse) -> F64:
    """Half of each row (V, J) and half of the mean of its neighbours."""
    count = np.asarray(graph.sum(axis=1)).reshape(-1, 1)
    return np.where(count > 0, 0.5 * table + 0.5 * (graph @ table) / np.maximum(count, 1), table)


def inpaint(
    points: npt.NDArray[Any], faces: npt.NDArray[Any], table: F64, sure: npt.NDArray[np.bool_]
) -> F64:
    """The table with rows that are not sure solved from those that are: as smooth over the mesh as can be.

    Pieces of the mesh without any sure vertex take the row of the nearest sure one.
    """
    if sure.all() or not sure.any():
        return table
    lap, mass = cotangent(points, faces)
    labels = sparse.csgraph.connected_components(neighbours(faces, len(points)), directed=False)[1]
    reached = np.isin(labels, np.unique(labels[sure]))
    out = np.array(table)
    free = np.flatnonzero(~sure & reached)
    if len(free):
        fixed = np.flatnonzero(sure)
        # The bilaplacian keeps slopes going where the plain one would flatten; a little of the plain keeps it
        # bounded.
        inverse = sparse.diags(1 / np.maximum(mass, float(mass[mass > 0].min(initial=1.0)) * 1e-3))
        scale = float(np.abs(lap.diagonal()).mean()) or 1.0
        system = (lap @ inverse @ lap) * (float(mass.mean()) / scale) + 0.1 * lap
        used = np.flatnonzero(table[fixed].any(axis=0))
        right = -(system[free][:, fixed] @ table[np.ix_(fixed, used)])
        solved = sparse_linalg.splu(
            (system[free][:, free] + 1e-9 * scale * sparse.eye(len(free))).tocsc()
        ).solve(right)
        out[free] = 0.0
        out[np.ix_(free, used)] = np.clip(solved, 0.0, 1.0)
    lost = np.flatnonzero(~reached)
    if len(lost):
        from scipy.spatial import cKDTree

        at = np.flatnonzero(sure | reached)
        out[lost] = out[at[cKDTree(points[at]).query(points[lost])[1]]]
    return normalised(out)
