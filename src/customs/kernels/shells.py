"""Faces that share edges: which belong together, and which run against the others of their shell."""

from __future__ import annotations

import numpy as np
from numba import njit, types

PLACES = types.Array(types.uint32, 2, "C", readonly=True)
I64 = types.Array(types.int64, 1, "C")
I32 = types.Array(types.int32, 1, "C")
U64 = types.Array(types.uint64, 1, "C")
MARKS = types.Array(types.boolean, 1, "C")
BITS = types.Array(types.uint8, 1, "C")
FEW = 48
"""Edges at one place up to which they are put in order by inserting."""


@njit(types.UniTuple(types.int64, 2)(types.int64, I32, MARKS), cache=True, nogil=True)
def _root(face, up, turned):
    """(the face that stands for the part of `face`, 1 when `face` runs against it); the way there is shortened.
    `turned` is against what is `up` from a face.
    """
    top, against = face, 0
    while up[top] != top:
        against ^= np.int64(turned[top])
        top = up[top]
    at, rest = face, against
    while up[at] != top and at != top:
        after, mine = up[at], np.int64(turned[at])
        up[at], turned[at] = top, rest == 1
        at, rest = after, rest ^ mine
    return top, against


@njit(types.void(types.int64, types.int64, types.boolean, I32, MARKS, MARKS), cache=True, nogil=True)
def _join(a, b, clash, up, turned, twisted):
    x, against_x = _root(a, up, turned)
    y, against_y = _root(b, up, turned)
    against = (against_x ^ against_y) ^ np.int64(clash)
    if x == y:
        if against:
            twisted[x] = True
        return
    # The lower number stands for both, so that it is the first face of the part.
    if y < x:
        x, y = y, x
    up[y], turned[y] = x, against == 1
    twisted[x] = twisted[x] or twisted[y]


@njit(types.int64(I32, MARKS, MARKS, I32), cache=True, nogil=True)
def _numbered(up, turned, twisted, part):
    found = 0
    for face in range(len(up)):
        top, against = _root(face, up, turned)
        if top == face:
            part[face] = found
            found += 1
        else:
            part[face] = part[top]
            turned[face] = against == 1
            up[face] = top
    for face in range(len(up)):
        if twisted[up[face]]:
            turned[face] = False
    return found


@njit(types.uint8(PLACES, types.int64, types.uint64, types.uint64), cache=True, nogil=True)
def _edge(places, face, low, high):
    """The bit of the edge of a face between two places."""
    for k in range(3):
        a, b = np.uint64(places[face, k]), np.uint64(places[face, (k + 1) % 3])
        if min(a, b) == low and max(a, b) == high:
            return np.uint8(1 << k)
    return np.uint8(0)


@njit(types.UniTuple(types.int64, 2)(PLACES, I64, U64, I32, MARKS, MARKS, I32, BITS), cache=True, nogil=True)
def joined(places, starts, edges, up, turned, twisted, part, opened):
    """Faces (F, 3) of places: `part` (F,) numbers what hangs together over edges of exactly two faces, in the
    order it first appears; `turned` says which faces run against the first face of their part; bits of `opened`
    which of their edges are theirs alone. Parts that cannot be made consistent have nothing turned.

    `starts` (places + 2,) holds 0, `edges` has room for 3F, `up` and the marks for F. Returns (pairs, parts).
    """
    count = len(places)
    # Edges by their lower place: the other place, the face and whether it runs upward, in one number.
    for face in range(count):
        for k in range(3):
            a, b = places[face, k], places[face, (k + 1) % 3]
            starts[min(a, b) + 2] += 1
        up[face], turned[face], twisted[face], opened[face] = face, False, False, 0
    for k in range(2, len(starts)):
        starts[k] += starts[k - 1]
    for face in range(count):
        for k in range(3):
            a, b = places[face, k], places[face, (k + 1) % 3]
            low, high = min(a, b), max(a, b)
            forward = np.uint64(1) if a < b else np.uint64(0)
            edges[starts[low + 1]] = (
                np.uint64(high) << np.uint64(32) | np.uint64(face) << np.uint64(1) | forward
            )
            starts[low + 1] += 1
    pairs = 0
    for low in range(len(starts) - 2):
        begin, end = starts[low], starts[low + 1]
        if end - begin > FEW:
            edges[begin:end].sort()
        else:
            for i in range(begin + 1, end):
                value, j = edges[i], i - 1
                while j >= begin and edges[j] > value:
                    edges[j + 1] = edges[j]
                    j -= 1
                edges[j + 1] = value
        i = begin
        while i < end:
            high, j = edges[i] >> np.uint64(32), i + 1
            while j < end and edges[j] >> np.uint64(32) == high:
                j += 1
            a = np.int64(edges[i] & np.uint64(0xFFFFFFFF))
            if j - i == 1:
                opened[a >> 1] |= _edge(places, a >> 1, np.uint64(low), high)
            elif j - i == 2:
                pairs += 1
                b = np.int64(edges[i + 1] & np.uint64(0xFFFFFFFF))
                _join(a >> 1, b >> 1, (a & 1) == (b & 1), up, turned, twisted)
            i = j
    return pairs, _numbered(up, turned, twisted, part)
