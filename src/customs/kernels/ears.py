"""Ears of one large polygon, cut in the same order as the numpy way cuts them: the roundest first.

Points lie in the cells of a grid, so that only those near an ear are looked at; ears wait in a heap. Source:
G. H. Meisters, "Polygons Have Ears" (1975).
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

F64S = types.Array(types.float64, 2, "C")
I64 = types.Array(types.int64, 1, "C")
BLOCKED = 1e6


@njit(
    types.float64(types.float64, types.float64, types.float64, types.float64, types.float64, types.float64),
    cache=True,
    nogil=True,
)
def _turn(ax, ay, bx, by, cx, cy):
    """Twice the signed area of a triangle."""
    return (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)


@njit(types.int64(types.float64, types.float64, types.float64, types.int64), cache=True, nogil=True)
def _cell(value, low, size, cells):
    """The cell of a coordinate, kept within the grid."""
    at = int((value - low) / size)
    return min(max(at, 0), cells - 1)


@njit(
    types.float64(F64S, types.int64, types.int64, types.int64, types.boolean[::1], I64, I64, types.float64[::1], types.int64),
    cache=True, nogil=True,
)  # fmt: skip
def _score(flat, a, b, c, alive, starts, order, grid, cells):
    """How good an ear corner `b` between `a` and `c` is: roundness, far below zero where a point lies inside
    it.
    """
    ax, ay, bx, by, cx, cy = flat[a, 0], flat[a, 1], flat[b, 0], flat[b, 1], flat[c, 0], flat[c, 1]
    turn = _turn(ax, ay, bx, by, cx, cy)
    longest = (
        ((cx - ax) ** 2 + (cy - ay) ** 2)
        + ((bx - ax) ** 2 + (by - ay) ** 2)
        + ((cx - bx) ** 2 + (cy - by) ** 2)
    )
    score = turn / longest if longest > 0 else 0.0
    if turn <= 0:
        return score - BLOCKED
    x0, x1 = _cell(min(ax, bx, cx), grid[0], grid[2], cells), _cell(max(ax, bx, cx), grid[0], grid[2], cells)
    y0, y1 = _cell(min(ay, by, cy), grid[1], grid[3], cells), _cell(max(ay, by, cy), grid[1], grid[3], cells)
    for y in range(y0, y1 + 1):
        for k in range(starts[y * cells + x0], starts[y * cells + x1 + 1]):
            p = order[k]
            if not alive[p]:
                continue
            px, py = flat[p, 0], flat[p, 1]
            if (
                _turn(ax, ay, bx, by, px, py) >= 0
                and _turn(bx, by, cx, cy, px, py) >= 0
                and _turn(cx, cy, ax, ay, px, py) >= 0
            ):
                touches = (px == ax and py == ay) or (px == bx and py == by) or (px == cx and py == cy)
                if not touches:
                    return score - BLOCKED
    return score


@njit(types.boolean(types.float64[::1], types.int64, types.int64), cache=True, nogil=True)
def _before(score, a, b):
    """True when corner `a` is cut before corner `b`: a better ear, or the earlier of two as good."""
    return score[a] > score[b] or (score[a] == score[b] and a < b)


@njit(types.void(I64, I64, types.float64[::1], types.int64, types.int64), cache=True, nogil=True)
def _sift(heap, place, score, at, size):
    """Moves what stands at `at` to where it belongs, up or down."""
    item = heap[at]
    while at > 0 and _before(score, item, heap[(at - 1) // 2]):
        heap[at] = heap[(at - 1) // 2]
        place[heap[at]] = at
        at = (at - 1) // 2
    while True:
        below = 2 * at + 1
        if below >= size:
            break
        if below + 1 < size and _before(score, heap[below + 1], heap[below]):
            below += 1
        if not _before(score, heap[below], item):
            break
        heap[at] = heap[below]
        place[heap[at]] = at
        at = below
    heap[at] = item
    place[item] = at


@njit(types.int64[:, ::1](F64S), cache=True, nogil=True)
def clip_ears(flat):
    """Corners (n − 2, 3) of the triangles of a polygon (n, 2), n at least 3, finite and ccw."""
    n = len(flat)
    cells = max(1, int(np.sqrt(n)))
    grid = np.empty(4)
    for axis in range(2):
        low, high = flat[:, axis].min(), flat[:, axis].max()
        grid[axis] = low
        grid[axis + 2] = (high - low) / cells if high > low else 1.0
    starts = np.zeros(cells * cells + 1, np.int64)
    cell = np.empty(n, np.int64)
    for i in range(n):
        cell[i] = _cell(flat[i, 1], grid[1], grid[3], cells) * cells + _cell(
            flat[i, 0], grid[0], grid[2], cells
        )
        starts[cell[i] + 1] += 1
    for k in range(cells * cells):
        starts[k + 1] += starts[k]
    order, filled = np.empty(n, np.int64), starts[:-1].copy()
    for i in range(n):
        order[filled[cell[i]]] = i
        filled[cell[i]] += 1
    alive = np.ones(n, np.bool_)
    score, before, after = np.empty(n), np.empty(n, np.int64), np.empty(n, np.int64)
    heap, place = np.empty(n, np.int64), np.empty(n, np.int64)
    for i in range(n):
        before[i], after[i] = (i - 1) % n, (i + 1) % n
    for i in range(n):
        score[i] = _score(flat, before[i], i, after[i], alive, starts, order, grid, cells)
        heap[i], place[i] = i, i
        _sift(heap, place, score, i, i + 1)
    out, size = np.empty((n - 2, 3), np.int64), n
    for k in range(n - 2):
        pick = heap[0]
        left, right = before[pick], after[pick]
        out[k, 0], out[k, 1], out[k, 2] = left, pick, right
        alive[pick] = False
        size -= 1
        if size:
            heap[0] = heap[size]
            place[heap[0]] = 0
            _sift(heap, place, score, 0, size)
        after[left], before[right] = right, left
        for side in (left, right):
            score[side] = _score(flat, before[side], side, after[side], alive, starts, order, grid, cells)
            _sift(heap, place, score, place[side], size)
    return out
