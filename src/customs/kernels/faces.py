"""What is wrong with single faces, and what shells of them enclose: loops over triangles."""

from __future__ import annotations

import numpy as np
from numba import njit, types

POINTS = types.Array(types.float32, 2, "C", readonly=True)
FACES = types.Array(types.uint32, 2, "C", readonly=True)
I32 = types.Array(types.int32, 1, "C")
I32_IN = types.Array(types.int32, 1, "C", readonly=True)
I64 = types.Array(types.int64, 1, "C")
U64 = types.Array(types.uint64, 1, "C")
MARKS = types.Array(types.boolean, 1, "C")
TRIPLE = types.UniTuple(types.float64, 3)
SUMS = types.Array(types.float64, 2, "C")
SUMS_IN = types.Array(types.float64, 2, "C", readonly=True)
FEW = 48
"""Faces at one place up to which they are put in order by inserting."""


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


@njit(types.UniTuple(types.uint32, 3)(FACES, types.int64), cache=True, nogil=True)
def _ordered(places, f):
    a, b, c = places[f, 0], places[f, 1], places[f, 2]
    if a > b:
        a, b = b, a
    if b > c:
        b, c = c, b
    if a > b:
        a, b = b, a
    return a, b, c


@njit(types.uint8(FACES, types.int64), cache=True, nogil=True)
def _way(places, f):
    """2 for a face whose places run upward, wherever it starts, otherwise 1: one with two corners at one place has
    no winding.
    """
    a, b, c = places[f, 0], places[f, 1], places[f, 2]
    rising = (a < b) + (b < c) + (c < a) == 2
    return np.uint8(2) if rising and a != b and b != c and c != a else np.uint8(1)


@njit(types.void(U64, I32), cache=True, nogil=True)
def _in_order(keys, faces):
    """Both put in the order of the keys, equal ones as they were."""
    if len(keys) > FEW:
        by_key = np.argsort(keys, kind="mergesort")
        keys[:], faces[:] = keys[by_key], faces[by_key]
        return
    for i in range(1, len(keys)):
        key, face, j = keys[i], faces[i], i - 1
        while j >= 0 and keys[j] > key:
            keys[j + 1], faces[j + 1] = keys[j], faces[j]
            j -= 1
        keys[j + 1], faces[j + 1] = key, face


@njit(types.void(FACES, I64, I32, U64, MARKS, MARKS), cache=True, nogil=True)
def repeats(places, starts, order, keys, doubled, backs):
    """Among faces (F, 3) of places: which repeat an earlier one in the same winding, and which have another in
    the opposite winding.

    Faces are laid in the bucket of their lowest place: `starts` (places + 2,) holds 0, the others have room for F.
    """
    for f in range(len(places)):
        starts[_ordered(places, f)[0] + 2] += 1
    for k in range(2, len(starts)):
        starts[k] += starts[k - 1]
    for f in range(len(places)):
        a, b, c = _ordered(places, f)
        at = starts[a + 1]
        starts[a + 1] += 1
        order[at], keys[at] = f, np.uint64(b) << np.uint64(32) | np.uint64(c)
    for bucket in range(len(starts) - 2):
        i, end = starts[bucket], starts[bucket + 1]
        _in_order(keys[i:end], order[i:end])
        while i < end:
            seen, j = np.uint8(0), i
            while j < end and keys[j] == keys[i]:
                way = _way(places, order[j])
                doubled[order[j]] = seen & way != 0
                seen |= way
                j += 1
            for k in range(i, j):
                backs[order[k]] = seen == 3
            i = j


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
