"""Cutting polygons into triangles: a fan where convex, ear clipping where not, all polygons of one size at a time."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

U32 = npt.NDArray[np.uint32]
F32 = npt.NDArray[np.float32]


def triangulate(positions: F32, corners: U32, sizes: U32) -> tuple[U32, U32]:
    """Triangles (F, 3) uint32 and the polygon each came from (F,) uint32, in polygon order.

    `corners` (sum of sizes,) are vertex indices of polygons one after another; `sizes` (P,) at least 3 each.
    A polygon of n corners gives n − 2 triangles. Winding is kept.
    """
    starts = np.concatenate([[0], np.cumsum(sizes[:-1], dtype=np.int64)]) if len(sizes) else np.zeros(0, np.int64)
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
        local, row = _clip_ears(flat[~convex])
        out.append((loops[~convex][row[:, None], local], every[~convex][row]))
    return out


def _fan(loops: U32, rows: npt.NDArray[np.intp]) -> tuple[U32, npt.NDArray[np.intp]]:
    n = loops.shape[1]
    k = np.arange(1, n - 1)
    tri = np.stack([np.broadcast_to(loops[:, :1], (len(loops), n - 2)), loops[:, k], loops[:, k + 1]], axis=2)
    return tri.reshape(-1, 3), np.repeat(rows, n - 2)


def _flatten(positions: F32, loops: U32) -> npt.NDArray[np.float64]:
    """Polygons (P, n, 2) in their own plane, ccw: Newell's normal picks the axis pair with the largest area."""
    p = positions[loops].astype(np.float64)
    q = np.roll(p, -1, axis=1)
    normal = np.cross(p, q).sum(axis=1)
    drop = np.abs(normal).argmax(axis=1)
    u, v = (drop + 1) % 3, (drop + 2) % 3
    row = np.arange(len(loops))
    out = np.stack([p[row, :, u], p[row, :, v]], axis=2)
    out[normal[row, drop] < 0] *= np.array([-1.0, 1.0])
    return out


def _turn(a: npt.NDArray[np.float64], b: npt.NDArray[np.float64], c: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Twice the signed area of triangles a b c, each (..., 2)."""
    return (b[..., 0] - a[..., 0]) * (c[..., 1] - a[..., 1]) - (b[..., 1] - a[..., 1]) * (c[..., 0] - a[..., 0])


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

    Returns corners (P·(n−2), 3) within each polygon, and the polygon (P·(n−2),). Where no clean ear is left (a loop that
    crosses itself) the bluntest corner is cut, so the count is always right.
    """
    count, n, _ = flat.shape
    ring = np.tile(np.arange(n), (count, 1))
    row = np.arange(count)[:, None]
    out = np.empty((count, n - 2, 3), dtype=np.int64)
    for k in range(n - 3):
        before, after = np.roll(ring, 1, axis=1), np.roll(ring, -1, axis=1)
        pick = _best_ear(flat, ring, before, after)
        at = np.arange(count)
        out[:, k] = np.stack([before[at, pick], ring[at, pick], after[at, pick]], axis=1)
        keep = np.ones(ring.shape, dtype=bool)
        keep[at, pick] = False
        ring = ring[keep].reshape(count, -1)
    out[:, n - 3] = ring
    return out.reshape(-1, 3), np.repeat(row[:, 0], n - 2)


def _best_ear(
    flat: npt.NDArray[np.float64],
    ring: npt.NDArray[np.intp],
    before: npt.NDArray[np.intp],
    after: npt.NDArray[np.intp],
) -> npt.NDArray[np.intp]:
    """(P,) the ring position of the roundest empty ear of each polygon."""
    row = np.arange(len(ring))[:, None]
    a, b, c = flat[row, before], flat[row, ring], flat[row, after]
    turn = _turn(a, b, c)
    longest = ((c - a) ** 2).sum(-1) + ((b - a) ** 2).sum(-1) + ((c - b) ** 2).sum(-1)
    score = np.where(longest > 0, turn / np.where(longest > 0, longest, 1), 0)
    m = ring.shape[1]
    blocked = np.zeros(ring.shape, dtype=bool)
    for shift in range(2, m - 1):
        p = np.roll(b, -shift, axis=1)
        inside = (_turn(a, b, p) >= 0) & (_turn(b, c, p) >= 0) & (_turn(c, a, p) >= 0)
        touching = (p == a).all(-1) | (p == b).all(-1) | (p == c).all(-1)
        blocked |= inside & ~touching
    clean = (turn > 0) & ~blocked
    return np.where(clean, score, score - 1e6).argmax(axis=1)
