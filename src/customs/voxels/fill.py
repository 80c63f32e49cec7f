"""Which cells of a grid lie inside a surface, exact at their middles."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]
PAIRS = 4_000_000
"""Pairs of a triangle and a line through cells that are looked at in one go."""
MOST = 1_024
"""Cells along a side at most."""


@dataclass(frozen=True, eq=False)
class Frame:
    """A grid: its corner `low` (3,) metres, the edge of a cell, how many cells (3,)."""

    low: F64
    cell: float
    shape: tuple[int, int, int]

    def middles(self, axis: int) -> F64:
        """Metres of the middles of cells along an axis."""
        return np.asarray(self.low[axis] + (np.arange(self.shape[axis]) + 0.5) * self.cell)


def frame_of(points: F64, side: int) -> Frame:
    """The grid around places (V, 3) whose longest side has `side` cells; it stands as low as they do, and lies even about their middle from side
    to side and from front to back, so that what is symmetric stays so.
    """
    low, high = points.min(axis=0), points.max(axis=0)
    size = high - low
    cell = float(size.max()) / side if size.max() > 0 else 1.0
    shape = np.maximum(np.ceil(size / cell - 1e-6), 1).astype(int)
    corner = (low + high) / 2 - shape * cell / 2
    corner[1] = low[1]
    return Frame(corner, cell, (int(shape[0]), int(shape[1]), int(shape[2])))


def inside(points: F64, faces: npt.NDArray[np.integer], frame: Frame, closed: bool = True) -> Mask:
    """(X, Y, Z) cells whose middles lie inside triangles (F, 3): where the surface winds about them. Of a surface that is not `closed` those
    that lie inside along two axes of three.
    """
    if closed:
        return _along(points, faces, frame, 1)
    votes = sum(_along(points, faces, frame, axis).astype(np.int8) for axis in range(3))
    return np.asarray(votes >= 2)


def _along(points: F64, faces: npt.NDArray[np.integer], frame: Frame, axis: int) -> Mask:
    """The same by straight lines along one axis through the middles: every crossing of a face changes how often it winds."""
    u, v = (a for a in range(3) if a != axis)
    shape = frame.shape
    change = np.zeros((shape[u], shape[v], shape[axis] + 1), np.int32)
    for i, j, at, turn in _crossings(points[faces], frame, axis, u, v):
        # The first middle beyond the crossing is wound about from there on.
        k = np.clip(np.ceil((at - frame.low[axis]) / frame.cell - 0.5), 0, shape[axis]).astype(np.intp)
        np.add.at(change, (i, j, k), turn)
    wound = np.cumsum(change[..., :-1], axis=2) != 0
    return np.ascontiguousarray(np.moveaxis(wound, [0, 1, 2], [u, v, axis]))


def _crossings(
    corners: F64, frame: Frame, axis: int, u: int, v: int
) -> Iterator[tuple[Ints, Ints, F64, Ints]]:
    """(cells along u and v, metres along the axis, which way round) where lines meet triangles (F, 3, 3), in batches.

    A line that meets an edge or a corner meets one of the faces there and no other: it counts as lying a hair beside, always to the same
    side (H. Edelsbrunner and E. P. Mücke, "Simulation of simplicity", 1990, for this one case).
    """
    flat = corners[:, :, [u, v]]
    place = (flat - frame.low[[u, v]]) / frame.cell - 0.5
    limit = np.array([frame.shape[u], frame.shape[v]])
    first = np.clip(np.ceil(place.min(axis=1) - 1e-9), 0, limit).astype(np.int64)
    last = np.clip(np.floor(place.max(axis=1) + 1e-9) + 1, 0, limit).astype(np.int64)
    size = np.maximum(last - first, 0)
    pairs = size[:, 0] * size[:, 1]
    group = np.cumsum(pairs) // PAIRS
    mids = frame.middles(u), frame.middles(v)
    for g in np.unique(group[pairs > 0]).tolist():
        chosen = np.flatnonzero((group == g) & (pairs > 0))
        face = np.repeat(chosen, pairs[chosen])
        number = np.arange(len(face)) - np.repeat(np.cumsum(pairs[chosen]) - pairs[chosen], pairs[chosen])
        i, j = first[face, 0] + number // size[face, 1], first[face, 1] + number % size[face, 1]
        p = np.stack([mids[0][i], mids[1][j]], axis=1)
        sides = np.stack([_side(flat[face, k], flat[face, (k + 1) % 3], p) for k in range(3)], axis=1)
        met = np.flatnonzero((sides == sides[:, :1]).all(axis=1))
        i, j, face = i[met], j[met], face[met]
        yield i, j, _height(corners[face], p[met], axis, u, v), sides[met, 0].astype(np.int64)


def _side(a: F64, b: F64, p: F64) -> npt.NDArray[np.int8]:
    """(N,) which side of the edges a → b (N, 2) places (N, 2) lie on: 1 or −1, never between. Both faces of an edge reckon from the same end,
    so that their answers are opposite to the last bit.
    """
    swap = (a[:, 0] > b[:, 0]) | ((a[:, 0] == b[:, 0]) & (a[:, 1] > b[:, 1]))
    low, high = np.where(swap[:, None], b, a), np.where(swap[:, None], a, b)
    way, to = high - low, p - low
    beside = np.where(way[:, 0] * to[:, 1] - way[:, 1] * to[:, 0] >= 0, 1, -1)
    return np.where(swap, -beside, beside).astype(np.int8)


def _height(corners: F64, p: F64, axis: int, u: int, v: int) -> F64:
    """(N,) metres along the axis where lines through p (N, 2) meet the planes of triangles (N, 3, 3)."""
    a = corners[:, 0]
    ab, ac, to = corners[:, 1] - a, corners[:, 2] - a, p - a[:, [u, v]]
    whole = ab[:, u] * ac[:, v] - ab[:, v] * ac[:, u]
    with np.errstate(divide="ignore", invalid="ignore"):
        s = (to[:, 0] * ac[:, v] - to[:, 1] * ac[:, u]) / whole
        t = (ab[:, u] * to[:, 1] - ab[:, v] * to[:, 0]) / whole
    at = a[:, axis] + np.nan_to_num(s) * ab[:, axis] + np.nan_to_num(t) * ac[:, axis]
    low, high = corners[:, :, axis].min(axis=1), corners[:, :, axis].max(axis=1)
    return np.asarray(np.clip(at, low, high))


def touched(points: F64, faces: npt.NDArray[np.integer], frame: Frame) -> Ints:
    """(N, 3) cells that places on the triangles lie in, no two of them further apart than half a cell."""
    corners = points[faces]
    longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
    steps = np.maximum(np.ceil(longest / (frame.cell / 2)), 1).astype(np.int64)
    found = []
    for n in np.unique(steps).tolist():
        mine = corners[steps == n]
        s, t = (x.reshape(-1) for x in np.meshgrid(np.arange(n + 1), np.arange(n + 1), indexing="ij"))
        keep = s + t <= n
        shares = np.stack([n - s - t, s, t], axis=1)[keep] / n
        for part in np.array_split(mine, max(1, len(mine) * len(shares) // PAIRS)):
            at = np.floor((np.einsum("sk,fkd->fsd", shares, part) - frame.low) / frame.cell)
            cells = np.clip(at.reshape(-1, 3), 0, np.array(frame.shape) - 1).astype(np.int64)
            found.append(np.unique(np.ravel_multi_index(tuple(cells.T), frame.shape)))
    every = np.unique(np.concatenate([np.zeros(0, np.int64), *found]))
    return np.stack(np.unravel_index(every, frame.shape), axis=1).astype(np.int64)
