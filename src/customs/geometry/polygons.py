"""Cutting polygons into triangles: a fan where convex, ear clipping where not, all polygons of one size at a
time.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.kernels.store import kernel

COMPILED = 400
"""Corners of a polygon from which the compiled way is worth its start."""
U32 = npt.NDArray[np.uint32]
F32 = npt.NDArray[np.float32]


def triangulate(positions: F32, corners: U32, sizes: U32) -> tuple[U32, U32]:
    """Triangles (F, 3) uint32 and the polygon each came from (F,) uint32, in polygon order.

    `corners` (sum of sizes,) are vertex indices of polygons one after another; `sizes` (P,) at least 3 each.
    A polygon of n corners gives n − 2 triangles. Winding is kept.
    """
    starts = (
        np.concatenate([[0], np.cumsum(sizes[:-1], dtype=np.int64)]) if len(sizes) else np.zeros(0, np.int64)
    )
    parts: list[tuple[U32, npt.NDArray[np.intp]]] = []
    for n in np.unique(sizes):
        rows = np.flatnonzero(sizes == n)
        loops = corners[starts[rows][:, None] + np.arange(n)]
        for cut, index in _one_size(positions, loops):
            parts.append((cut, rows[index]))
    if not parts:
        return np.zeros((0, 3), dtype=np.uint32), np.zeros(0, dtype=np.uint32)
    faces = np.concatenate([p[0] for p in parts])
    source = np.concatenate([p[1] for p in parts])
    order = np.argsort(source, kind="stable")
    return faces[order].astype(np.uint32), source[order].astype(np.uint32)


def _one_size(positions: F32, loops: U32) -> list[tuple[U32, npt.NDArray[np.intp]]]:
    """Cuts polygons (P, n) of one size: [(triangles (F, 3), row (F,))…]."""
    count, n = loops.shape
    every = np.arange(count)
    if n == 3:
        return [(loops, every)]
    flat = _flatten(positions, loops)
    convex = _is_convex(flat)
    out = [_fan(loops[convex], every[convex])]
    if not convex.all():
        local, row = _cut(flat[~convex])
        out.append((loops[~convex][row[:, None], local], every[~convex][row]))
    return out


def _cut(flat: npt.NDArray[np.float64]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.intp]]:
    """See `_clip_ears`; large polygons one by one through the compiled way, which cuts the same ears."""
    count, n, _ = flat.shape
    fast = kernel("ears") if n >= COMPILED and bool(np.isfinite(flat).all()) else None
    if fast is None:
        return _clip_ears(flat)
    return np.concatenate([fast.clip_ears(np.ascontiguousarray(p)) for p in flat]), np.repeat(
        np.arange(count), n - 2
    )


def _fan(loops: U32, rows: npt.NDArray[np.intp]) -> tuple[U32, npt.NDArray[np.intp]]:
    n = loops.shape[1]
    k = np.arange(1, n - 1)
    tri = np.stack([np.broadcast_to(loops[:, :1], (len(loops), n - 2)), loops[:, k], loops[:, k + 1]], axis=2)
    return tri.reshape(-1, 3), np.repeat(rows, n - 2)


def _flatten(positions: F32, loops: U32) -> npt.NDArray[np.float64]:
    """Polygons (P, n, 2) in their own plane, ccw: Newell's normal picks the axis pair with the largest
    area.
    """
    p = positions[loops].astype(np.float64)
    q = np.roll(p, -1, axis=1)
    normal = np.cross(p, q).sum(axis=1)
    drop = np.abs(normal).argmax(axis=1)
    u, v = (drop + 1) % 3, (drop + 2) % 3
    row = np.arange(len(loops))
    out = np.stack([p[row, :, u], p[row, :, v]], axis=2)
    out[normal[row, drop] < 0] *= np.array([-1.0, 1.0])
    return out


def _turn(
    a: npt.NDArray[np.float64], b: npt.NDArray[np.float64], c: npt.NDArray[np.float64]
) -> npt.NDArray[np.float64]:
    """Twice the signed area of triangles a b c, each (..., 2)."""
    return (b[..., 0] - a[..., 0]) * (c[..., 1] - a[..., 1]) - (b[..., 1] - a[..., 1]) * (
        c[..., 0] - a[..., 0]
    )


def _is_convex(flat: npt.NDArray[np.float64]) -> npt.NDArray[np.bool_]:
    """(P,) True when no corner turns right and the loop turns round once."""
    before, after = np.roll(flat, 1, axis=1), np.roll(flat, -1, axis=1)
    turn = _turn(before, flat, after)
    edge = after - flat
    angle = np.arctan2(edge[..., 1], edge[..., 0])
    winding = (np.diff(np.concatenate([angle, angle[:, :1]], axis=1), axis=1) + np.pi) % (2 * np.pi) - np.pi
    return (turn >= -1e-12).all(axis=1) & (np.abs(winding.sum(axis=1) - 2 * np.pi) < 1e-3)


def _clip_ears(flat: npt.NDArray[np.float64]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.intp]]:
    """Ear clipping (Meisters 1975) of polygons (P, n, 2) ccw, all at once, one ear of each per round.

    Returns corners (P·(n−2), 3) within each polygon, and the polygon (P·(n−2),). Only the two neighbours of a
    cut ear are judged again, so a polygon costs n² and not n³. Where no clean ear is left (a loop that
    crosses itself) the bluntest corner is cut, so the count is always right.
    """
    count, n, _ = flat.shape
    every = np.arange(count)
    before = np.tile(np.roll(np.arange(n), 1), (count, 1))
    after = np.tile(np.roll(np.arange(n), -1), (count, 1))
    alive = np.ones((count, n), dtype=bool)
    score = np.empty((count, n))
    for k in range(0, n, SLICE):
        at = np.tile(np.arange(k, min(k + SLICE, n)), (count, 1))
        score[:, k : k + SLICE] = _ear_scores(flat, before, after, at, alive)
    out = np.empty((count, n - 2, 3), dtype=np.int64)
    for k in range(n - 2):
        pick = score.argmax(axis=1)
        left, right = before[every, pick], after[every, pick]
        out[:, k] = np.stack([left, pick, right], axis=1)
        alive[every, pick], score[every, pick] = False, -np.inf
        after[every, left], before[every, right] = right, left
        sides = np.stack([left, right], axis=1)
        score[every[:, None], sides] = _ear_scores(flat, before, after, sides, alive)
    return out.reshape(-1, 3), np.repeat(every, n - 2)


SLICE = 64
"""Corners judged against all others at a time when a polygon is first looked at."""


def _ear_scores(
    flat: npt.NDArray[np.float64],
    before: npt.NDArray[np.intp],
    after: npt.NDArray[np.intp],
    at: npt.NDArray[np.intp],
    alive: npt.NDArray[np.bool_],
) -> npt.NDArray[np.float64]:
    """(P, K) how good an ear each corner `at` (P, K) is: roundness, and far below zero where something lies
    inside it.
    """
    row = np.arange(len(at))[:, None]
    a, b, c = flat[row, before[row, at]], flat[row, at], flat[row, after[row, at]]
    turn = _turn(a, b, c)
    longest = ((c - a) ** 2).sum(-1) + ((b - a) ** 2).sum(-1) + ((c - b) ** 2).sum(-1)
    score = np.where(longest > 0, turn / np.where(longest > 0, longest, 1), 0)
    p = flat[:, None]
    a, b, c = a[:, :, None], b[:, :, None], c[:, :, None]
    inside = (_turn(a, b, p) >= 0) & (_turn(b, c, p) >= 0) & (_turn(c, a, p) >= 0) & alive[:, None]
    touching = (p == a).all(-1) | (p == b).all(-1) | (p == c).all(-1)
    blocked = (inside & ~touching).any(axis=2)
    return np.where((turn > 0) & ~blocked, score, score - 1e6)
