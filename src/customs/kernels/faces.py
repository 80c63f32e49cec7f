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
SUMS = types.Array(types.float64, 2, "C")
SUMS_IN = types.Array(types.float64, 2, "C", readonly=True)


@njit(types.void(POINTS, FACES, types.float64, MARKS), cache=True, nogil=True)
def flat(points, faces, share, out):
    """True in `out` (F,) for faces whose double area is at most `share` of their longest edge squared, or no
    number.
    """
    for f in range(len(faces)):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ax, ay, az = np.float64(points[a, 0]), np.float64(points[a, 1]), np.float64(points[a, 2])
        bx, by, bz = np.float64(points[b, 0]), np.float64(points[b, 1]), np.float64(points[b, 2])
        cx, cy, cz = np.float64(points[c, 0]), np.float64(points[c, 1]), np.float64(points[c, 2])
        ux, uy, uz, vx, vy, vz = bx - ax, by - ay, bz - az, cx - ax, cy - ay, cz - az
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        double = np.sqrt(x * x + y * y + z * z)
        wx, wy, wz = cx - bx, cy - by, cz - bz
        first, second = ux * ux + uy * uy + uz * uz, wx * wx + wy * wy + wz * wz
        longest = max(max(first, second), vx * vx + vy * vy + vz * vz)
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
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ax, ay, az = np.float64(points[a, 0]), np.float64(points[a, 1]), np.float64(points[a, 2])
        bx, by, bz = np.float64(points[b, 0]), np.float64(points[b, 1]), np.float64(points[b, 2])
        cx, cy, cz = np.float64(points[c, 0]), np.float64(points[c, 1]), np.float64(points[c, 2])
        ux, uy, uz, vx, vy, vz = bx - ax, by - ay, bz - az, cx - ax, cy - ay, cz - az
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        area = np.sqrt(x * x + y * y + z * z)
        p = part[f]
        out[p, 0] += area
        out[p, 1] += area * ((ax + bx + cx) / 3.0)
        out[p, 2] += area * ((ay + by + cy) / 3.0)
        out[p, 3] += area * ((az + bz + cz) / 3.0)


@njit(types.void(POINTS, FACES, I32_IN, SUMS_IN, SUMS), cache=True, nogil=True)
def enclosed(points, faces, part, centres, out):
    """For each part (P, 3): six times the volume its faces span with its centre (P, 3), the same without signs,
    and the double area of faces whose back the centre does not see.
    """
    for f in range(len(faces)):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ax, ay, az = np.float64(points[a, 0]), np.float64(points[a, 1]), np.float64(points[a, 2])
        bx, by, bz = np.float64(points[b, 0]), np.float64(points[b, 1]), np.float64(points[b, 2])
        cx, cy, cz = np.float64(points[c, 0]), np.float64(points[c, 1]), np.float64(points[c, 2])
        ux, uy, uz, vx, vy, vz = bx - ax, by - ay, bz - az, cx - ax, cy - ay, cz - az
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        p = part[f]
        mx, my = (ax + bx + cx) / 3.0 - centres[p, 0], (ay + by + cy) / 3.0 - centres[p, 1]
        reach = x * mx + y * my + z * ((az + bz + cz) / 3.0 - centres[p, 2])
        out[p, 0] += reach
        out[p, 1] += abs(reach)
        if reach < 0:
            out[p, 2] += np.sqrt(x * x + y * y + z * z)
