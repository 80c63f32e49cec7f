"""One smooth skin around many capsules: a distance field and its surface."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.laplace import neighbours

F64 = npt.NDArray[np.float64]
Capsule = tuple[Any, Any, float, float]
"""Start (3,), end (3,), radius at either (m)."""


def distance(points: F64, capsules: Sequence[Capsule], soft: float) -> F64:
    """(N,) smooth distance to the union of capsules; `soft` is how far two of them flow together (m).

    Smooth union by the exponential sum: −s · log Σ exp(−d / s) (common practice).
    """
    total = np.zeros(len(points))
    for a, b, ra, rb in capsules:
        a, b = np.asarray(a, float), np.asarray(b, float)
        way = b - a
        t = np.clip((points - a) @ way / max(float(way @ way), 1e-12), 0, 1)
        far = np.linalg.norm(points - a - t[:, None] * way, axis=1) - (ra + t * (rb - ra))
        total += np.exp(-np.clip(far / soft, -30, 30))
    return -soft * np.log(np.maximum(total, 1e-13))


def skin(capsules: Sequence[Capsule], cell: float, soft: float = 0.02) -> tuple[F64, npt.NDArray[np.int64]]:
    """(points (V, 3), faces (F, 3) ccw outward) of the surface, cells of `cell` metres.

    Source: S. F. F. Gibson, "Constrained elastic surface nets" (1998): a vertex for each cell the surface
    crosses, at the mean of the crossings of its edges; a quad for each crossed edge of the grid.
    """
    every = np.array([p for c in capsules for p in (c[0], c[1])], dtype=float)
    reach = max(max(c[2], c[3]) for c in capsules) + 3 * cell + soft
    low = every.min(axis=0) - reach
    size = np.ceil((every.max(axis=0) + reach - low) / cell).astype(int) + 1
    axes = [low[k] + cell * np.arange(size[k]) for k in range(3)]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=3)
    field = distance(grid.reshape(-1, 3), capsules, soft).reshape(size)
    inside = field < 0
    corners = np.stack(np.meshgrid([0, 1], [0, 1], [0, 1], indexing="ij"), axis=3).reshape(8, 3)
    cells = tuple(s - 1 for s in size)
    count = np.sum(
        [inside[tuple(slice(c[k], c[k] + cells[k]) for k in range(3))].astype(int) for c in corners], axis=0
    )
    crossed = (count > 0) & (count < 8)
    number = np.full(cells, -1)
    number[crossed] = np.arange(int(crossed.sum()))
    points = _vertices(field, low, cell, np.argwhere(crossed))
    faces = np.concatenate([_quads(inside, number, axis) for axis in range(3)])
    return points, faces


EDGES = np.array(
    [(0, 1), (2, 3), (4, 5), (6, 7), (0, 2), (1, 3), (4, 6), (5, 7), (0, 4), (1, 5), (2, 6), (3, 7)]
)
"""Edges of a cell between its corners, corner k at the binary digits of k."""


def _vertices(field: F64, low: F64, cell: float, cells: npt.NDArray[np.int64]) -> F64:
    offsets = np.array([[k >> 2 & 1, k >> 1 & 1, k & 1] for k in range(8)])
    at = cells[:, None] + offsets
    values = field[at[..., 0], at[..., 1], at[..., 2]]
    a, b = values[:, EDGES[:, 0]], values[:, EDGES[:, 1]]
    cut = (a < 0) != (b < 0)
    with np.errstate(divide="ignore", invalid="ignore"):
        t = np.where(cut, a / (a - b), 0.0)
    place = offsets[EDGES[:, 0]] + t[..., None] * (offsets[EDGES[:, 1]] - offsets[EDGES[:, 0]])
    mean = (place * cut[..., None]).sum(axis=1) / cut.sum(axis=1, keepdims=True)
    return low + cell * (cells + mean)


def _quads(inside: npt.NDArray[np.bool_], number: npt.NDArray[np.int64], axis: int) -> npt.NDArray[np.int64]:
    """Two triangles for every crossed grid edge along `axis`."""
    u, v = (axis + 1) % 3, (axis + 2) % 3
    first = np.take(inside, range(inside.shape[axis] - 1), axis)
    second = np.take(inside, range(1, inside.shape[axis]), axis)
    at = np.argwhere(first != second)
    at = at[(at[:, u] > 0) & (at[:, v] > 0) & (at[:, u] < number.shape[u]) & (at[:, v] < number.shape[v])]
    corners = []
    for du, dv in ((0, 0), (1, 0), (1, 1), (0, 1)):
        k = at.copy()
        k[:, u] -= du
        k[:, v] -= dv
        corners.append(number[k[:, 0], k[:, 1], k[:, 2]])
    q = np.stack(corners, axis=1)
    out = inside[at[:, 0], at[:, 1], at[:, 2]]
    q[~out] = q[~out][:, ::-1]
    return np.concatenate([q[:, [0, 1, 2]], q[:, [0, 2, 3]]])


def relaxed(
    points: F64, faces: npt.NDArray[np.int64], capsules: Sequence[Capsule], soft: float, rounds: int = 3
) -> F64:
    """The points evened out along the surface and put back onto it."""
    graph = neighbours(faces, len(points))
    degree = np.asarray(graph.sum(axis=1)).reshape(-1, 1)
    for _ in range(rounds):
        points = 0.4 * points + 0.6 * (graph @ points) / degree
        h = 1e-4
        d = distance(points, capsules, soft)
        slope = np.stack([distance(points + h * e, capsules, soft) - d for e in np.eye(3)], axis=1) / h
        points = points - d[:, None] * slope / np.maximum((slope**2).sum(axis=1, keepdims=True), 1e-6)
    return points
