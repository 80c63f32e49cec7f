"""Directions of growing U of faces, summed up at their vertices."""

from __future__ import annotations

import math

from numba import float32, njit, types

F32_IN = types.Array(types.float32, 2, "C", readonly=True)
U32_IN = types.Array(types.uint32, 2, "C", readonly=True)
F32 = types.Array(types.float32, 2, "C")


@njit(types.void(F32_IN, F32_IN, U32_IN, F32), cache=True, nogil=True)
def summed(points, uvs, faces, out):
    """Into `out` (V, 4), which holds 0: the sum over the faces at each vertex of their unit direction of
    growing U times twice their area, and of their sign of the UV area times the same. Every sum and product
    is rounded where numpy rounds it.
    """
    zero = float32(0.0)
    for f in range(len(faces)):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        x1, y1, z1 = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        x2, y2, z2 = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        u1, v1 = uvs[b, 0] - uvs[a, 0], -(uvs[b, 1] - uvs[a, 1])
        u2, v2 = uvs[c, 0] - uvs[a, 0], -(uvs[c, 1] - uvs[a, 1])
        area = u1 * v2 - u2 * v1
        # Not a number stays one, as with numpy's sign.
        sign = area
        if area > zero:
            sign = float32(1.0)
        elif area < zero:
            sign = float32(-1.0)
        elif area == zero:
            sign = zero
        tx, ty, tz = (x1 * v2 - x2 * v1) * sign, (y1 * v2 - y2 * v1) * sign, (z1 * v2 - z2 * v1) * sign
        nx, ny, nz = y1 * z2 - z1 * y2, z1 * x2 - x1 * z2, x1 * y2 - y1 * x2
        weight = math.sqrt((nx * nx + ny * ny) + nz * nz)
        length = math.sqrt((tx * tx + ty * ty) + tz * tz)
        if length == zero:
            length = float32(1.0)
        px, py, pz, pw = tx / length * weight, ty / length * weight, tz / length * weight, sign * weight
        for k in range(3):
            v = faces[f, k]
            out[v, 0] += px
            out[v, 1] += py
            out[v, 2] += pz
            out[v, 3] += pw
