"""The Laplacian of a surface, for spreading values over it."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.later import Sparse, later

sparse = later("scipy.sparse")
F64 = npt.NDArray[np.float64]
STEEP = 20.0
"""Cotangents are kept within this, so that needle-thin triangles do not spoil the sums (no unit)."""


def cotangent(points: npt.NDArray[Any], faces: npt.NDArray[Any]) -> tuple[Sparse, F64]:
    """(L (V, V) positive semi-definite, areas (V,)): the cotangent Laplacian and a third of the area around
    each vertex.

    Source: U. Pinkall and K. Polthier, "Computing discrete minimal surfaces and their conjugates" (1993).
    Negative weights of obtuse pairs are set to 0 so that solutions stay between their bounds.
    """
    p, n = points.astype(np.float64), len(points)
    rows, columns, values = [], [], []
    for k in range(3):
        i, j, o = faces[:, k], faces[:, (k + 1) % 3], faces[:, (k + 2) % 3]
        u, v = p[i] - p[o], p[j] - p[o]
        cross = np.linalg.norm(np.cross(u, v), axis=1)
        cot = np.einsum("ij,ij->i", u, v) / np.maximum(cross, 1e-300)
        rows.append(np.minimum(i, j))
        columns.append(np.maximum(i, j))
        values.append(np.clip(cot, -STEEP, STEEP) / 2)
    r, c, w = (np.concatenate(x) for x in (rows, columns, values))
    half = sparse.coo_matrix((w, (r, c)), shape=(n, n)).tocsr()
    half.data = np.maximum(half.data, 1e-6)
    whole = half + half.T
    lap = sparse.diags(np.asarray(whole.sum(axis=1)).reshape(-1)) - whole
    areas = (
        np.linalg.norm(np.cross(p[faces[:, 1]] - p[faces[:, 0]], p[faces[:, 2]] - p[faces[:, 0]]), axis=1) / 6
    )
    mass = np.bincount(faces.reshape(-1), weights=np.repeat(areas, 3), minlength=n)
    return lap.tocsr(), mass.astype(np.float64)


def neighbours(faces: npt.NDArray[Any], count: int) -> Sparse:
    """(V, V) 1 where two vertices share an edge."""
    a = np.concatenate([faces[:, 0], faces[:, 1], faces[:, 2]]).astype(np.int64)
    b = np.concatenate([faces[:, 1], faces[:, 2], faces[:, 0]]).astype(np.int64)
    graph = sparse.coo_matrix(
        (np.ones(2 * len(a)), (np.concatenate([a, b]), np.concatenate([b, a]))), shape=(count, count)
    ).tocsr()
    graph.data[:] = 1.0
    return graph
