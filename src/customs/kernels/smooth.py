"""Normals of corners: at each place every face's is summed up with those whose direction is near its own."""

from __future__ import annotations

from numba import njit, types

U32_IN = types.Array(types.uint32, 1, "C", readonly=True)
F64_IN = types.Array(types.float64, 2, "C", readonly=True)
I64 = types.Array(types.int64, 1, "C")
I64_IN = types.Array(types.int64, 1, "C", readonly=True)
I32 = types.Array(types.int32, 1, "C")
I32_IN = types.Array(types.int32, 1, "C", readonly=True)
F64 = types.Array(types.float64, 2, "C")


@njit(types.void(U32_IN, I64, I32), cache=True, nogil=True)
def by_place(place, starts, order):
    """Corners in the order of their `place` (C,), as they come within one, into `order` (C,); where each place
    begins into `starts` (places + 1,), which holds 0.
    """
    for corner in range(len(place)):
        starts[place[corner] + 1] += 1
    for k in range(1, len(starts)):
        starts[k] += starts[k - 1]
    for corner in range(len(place)):
        order[starts[place[corner]]] = corner
        starts[place[corner]] += 1
    for k in range(len(starts) - 1, 0, -1):
        starts[k] = starts[k - 1]
    starts[0] = 0


@njit(
    types.void(I64_IN, I32_IN, F64_IN, F64_IN, U32_IN, types.float64, types.int64, types.int64, F64),
    cache=True,
    nogil=True,
)
def summed(starts, order, units, vectors, groups, limit, begin, end, out):
    """For the corners at places `begin`..`end`: the sum of `vectors` (F, 3) over faces at the same place whose
    `units` (F, 3) are within the cosine `limit`, and whose `groups` (F,), if there are any, are the same and
    not 0; into `out` (C, 3).
    """
    grouped = len(groups) > 0
    for place in range(begin, end):
        first, last = starts[place], starts[place + 1]
        for i in range(first, last):
            mine, j = order[i] // 3, i
            ux, uy, uz = units[mine, 0], units[mine, 1], units[mine, 2]
            x, y, z = 0.0, 0.0, 0.0
            for _ in range(last - first):
                other = order[j] // 3
                near = mine == other
                if not near and ux * units[other, 0] + uy * units[other, 1] + uz * units[other, 2] >= limit:
                    near = not grouped or (groups[mine] == groups[other] and groups[mine] != 0)
                if near:
                    x += vectors[other, 0]
                    y += vectors[other, 1]
                    z += vectors[other, 2]
                j = j + 1 if j + 1 < last else first
            corner = order[i]
            out[corner, 0], out[corner, 1], out[corner, 2] = x, y, z
