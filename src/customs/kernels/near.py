"""Points near one another, chained: put in the cells of a grid one by one, and compared with those before."""

from __future__ import annotations

import numpy as np
from numba import njit, types

POINTS = types.Array(types.float64, 2, "C", readonly=True)
LOW = types.Array(types.float64, 1, "C", readonly=True)
I64 = types.Array(types.int64, 1, "C")
I32 = types.Array(types.int32, 1, "C")
STEPS = 64
"""Comparisons a point, on the whole, before a tree is quicker."""
BITS = 21
"""Bits of a cell's number along each axis."""


@njit(types.int32(types.int32, I32), cache=True, nogil=True)
def _root(at, up):
    while up[at] != at:
        up[at] = up[up[at]]
        at = up[at]
    return at


@njit(types.int64(I32, I32), cache=True, nogil=True)
def _numbered(up, number):
    found = 0
    for i in range(len(up)):
        if up[i] == i:
            number[i] = found
            found += 1
        else:
            number[i] = number[_root(i, up)]
    for i in range(len(up)):
        up[i] = number[i]
    return found


@njit(types.int64(POINTS, LOW, types.float64, types.float64, I64, I32, I32, I32), cache=True, nogil=True)
def chained(points, low, cell, distance, cells, heads, follows, up):
    """The number of the group of each of `points` (N, 3) into `up` (N,), in the order they first appear: points
    within `distance` of one another are of one group.

    `low` (3,) is the least of all points; `cell`, the edge of a cell, is at least twice the distance, and all
    are within 2²⁰ cells of `low`. `cells` holds −1, a power of two of them, more than N, and `heads` as much
    room; `follows` and `up` hold N. Returns how many groups there are, or −1 where too many points share cells.
    """
    mask, room, square = len(cells) - 1, STEPS * len(points) + STEPS, distance * distance
    # A little more than the distance, as places in cells are rounded.
    reach, way = distance * 1.001, np.zeros((2, 3), np.int64)
    for i in range(len(points)):
        up[i] = i
        # Along each axis its own cell, and the one it is near to the border of.
        for k in range(3):
            place = (points[i, k] - low[k]) / cell
            own = np.int64(place)
            share = place - own
            way[0, k], way[1, k] = own, own
            if share * cell <= reach:
                way[1, k] = own - 1
            elif (1.0 - share) * cell <= reach:
                way[1, k] = own + 1
        for corner in range(8):
            a, b, c = corner & 1, corner >> 1 & 1, corner >> 2
            x, y, z = way[a, 0], way[b, 1], way[c, 2]
            if (a and x == way[0, 0]) or (b and y == way[0, 1]) or (c and z == way[0, 2]):
                continue
            if x < 0 or y < 0 or z < 0:
                continue
            number = x << 2 * BITS | y << BITS | z
            state = np.uint64(number) * np.uint64(0xBF58476D1CE4E5B9)
            state ^= state >> np.uint64(29)
            state *= np.uint64(0x94D049BB133111EB)
            at = np.int64((state ^ state >> np.uint64(32)) & np.uint64(mask))
            while cells[at] >= 0 and cells[at] != number:
                at = (at + 1) & mask
            j = heads[at] if cells[at] >= 0 else -1
            while j >= 0:
                dx, dy, dz = (
                    points[i, 0] - points[j, 0],
                    points[i, 1] - points[j, 1],
                    points[i, 2] - points[j, 2],
                )
                if dx * dx + dy * dy + dz * dz <= square:
                    p, q = _root(i, up), _root(j, up)
                    # The earlier stands for both, so that groups are numbered as they appear.
                    if p < q:
                        up[q] = p
                    else:
                        up[p] = q
                j = follows[j]
                room -= 1
            if room < 0:
                return -1
            if corner == 0:
                follows[i] = heads[at] if cells[at] >= 0 else -1
                cells[at], heads[at] = number, i
    return _numbered(up, follows)
