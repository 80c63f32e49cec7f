"""What is wrong with single faces, and what shells of them enclose: loops over triangles."""

from __future__ import annotations

import numpy as np
from numba import njit, types

POINTS = types.Array(types.float32, 2, "C", readonly=True)
FACES = types.Array(types.uint32, 2, "C", readonly=True)
I32 = types.Array(types.int32, 1, "C")
I32_IN = types.Array(types.int32, 1, "C", readonly=True)
BYTES = types.Array(types.uint8, 1, "C")
MARKS = types.Array(types.boolean, 1, "C")
TRIPLE = types.UniTuple(types.float64, 3)
SUMS = types.Array(types.float64, 2, "C")
SUMS_IN = types.Array(types.float64, 2, "C", readonly=True)


@njit(types.UniTuple(types.float64, 3)(POINTS, types.uint32), cache=True, nogil=True)
def _place(points, k):
    return np.float64(points[k, 0]), np.float64(points[k, 1]), np.float64(points[k, 2])


@njit(types.UniTuple(types.float64, 3)(TRIPLE, TRIPLE), cache=True, nogil=True)
def _away(a, b):
    return b[0] - a[0], b[1] - a[1], b[2] - a[2]


@njit(types.UniTuple(types.float64, 3)(TRIPLE, TRIPLE), cache=True, nogil=True)
def _cross(u, v):
    return u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]


@njit(types.float64(TRIPLE, TRIPLE), cache=True, nogil=True)
def _dot(u, v):
    return u[0] * v[0] + u[1] * v[1] + u[2] * v[2]


@njit(types.void(POINTS, FACES, types.float64, MARKS), cache=True, nogil=True)
def flat(points, faces, share, out):
    """True in `out` (F,) for faces whose double area is at most `share` of their longest edge squared, or no
    number.
    """
    for f in range(len(faces)):
        a, b, c = _place(points, faces[f, 0]), _place(points, faces[f, 1]), _place(points, faces[f, 2])
        normal = _cross(_away(a, b), _away(a, c))
        double = np.sqrt(_dot(normal, normal))
        u, v, w = _away(a, b), _away(a, c), _away(b, c)
        longest = max(max(_dot(u, u), _dot(w, w)), _dot(v, v))
        out[f] = double <= share * longest or not np.isfinite(double)


@njit(types.void(FACES, I32, I32, BYTES, I32, MARKS, MARKS), cache=True, nogil=True)
def repeats(places, table, first, ways, group, doubled, backs):
    """Among faces (F, 3) of places: which repeat an earlier one in the same winding, and which have another in
    the opposite winding.

    `table` holds −1, a power of two of them, more than F; the others hold F. Mixing constants as in `rows`.
    """
    mask, found = len(table) - 1, 0
    for f in range(len(places)):
        a, b, c = places[f, 0], places[f, 1], places[f, 2]
        rising = (a < b) + (b < c) + (c < a) == 2
        if a > b:
            a, b = b, a
        if b > c:
            b, c = c, b
        if a > b:
            a, b = b, a
        # A face with two corners at one place has no winding.
        way = np.uint8(2) if rising and a != b and b != c else np.uint8(1)
        state = np.uint64(0x9E3779B97F4A7C15)
        for word in (a, b, c):
            state ^= np.uint64(word)
            state *= np.uint64(0xBF58476D1CE4E5B9)
            state ^= state >> np.uint64(29)
            state *= np.uint64(0x94D049BB133111EB)
            state ^= state >> np.uint64(32)
        at = np.int64(state & np.uint64(mask))
        while True:
            number = table[at]
            if number < 0:
                table[at], first[found], ways[found] = found, f, 0
                number = found
                found += 1
                break
            i, j, k = places[first[number], 0], places[first[number], 1], places[first[number], 2]
            if min(min(i, j), k) == a and max(max(i, j), k) == c and i ^ j ^ k == a ^ b ^ c:
                break
            at = (at + 1) & mask
        group[f] = number
        doubled[f] = ways[number] & way != 0
        ways[number] |= way
    for f in range(len(places)):
        backs[f] = ways[group[f]] == 3


@njit(types.void(POINTS, FACES, I32_IN, SUMS), cache=True, nogil=True)
def weighed(points, faces, part, out):
    """For each part (P, 4): the double areas of its faces summed up, and their middles times that."""
    for f in range(len(faces)):
        a, b, c = _place(points, faces[f, 0]), _place(points, faces[f, 1]), _place(points, faces[f, 2])
        normal = _cross(_away(a, b), _away(a, c))
        area = np.sqrt(_dot(normal, normal))
        p = part[f]
        out[p, 0] += area
        for k in range(3):
            out[p, 1 + k] += area * ((a[k] + b[k] + c[k]) / 3.0)


@njit(types.void(POINTS, FACES, I32_IN, SUMS_IN, SUMS), cache=True, nogil=True)
def enclosed(points, faces, part, centres, out):
    """For each part (P, 3): six times the volume its faces span with its centre (P, 3), the same without signs,
    and the double area of faces whose back the centre does not see.
    """
    for f in range(len(faces)):
        a, b, c = _place(points, faces[f, 0]), _place(points, faces[f, 1]), _place(points, faces[f, 2])
        normal = _cross(_away(a, b), _away(a, c))
        p = part[f]
        reach = 0.0
        for k in range(3):
            reach += normal[k] * ((a[k] + b[k] + c[k]) / 3.0 - centres[p, k])
        out[p, 0] += reach
        out[p, 1] += abs(reach)
        if reach < 0:
            out[p, 2] += np.sqrt(_dot(normal, normal))
