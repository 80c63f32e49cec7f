"""The point of a triangle nearest to a point, for many pairs."""

from __future__ import annotations

import math

from numba import njit, types

F64_IN = types.Array(types.float64, 2, "C", readonly=True)
F64_1_IN = types.Array(types.float64, 1, "C", readonly=True)
INT_IN = types.Array(types.int64, 1, "C", readonly=True)
F64 = types.Array(types.float64, 2, "C")


@njit(
    types.void(
        F64_IN, INT_IN, INT_IN, F64_IN, F64_IN, F64_IN, F64_1_IN, F64_1_IN, F64_1_IN, types.int64, types.int64, F64, F64
    ),
    cache=True,
    nogil=True,
    error_model="numpy",
)  # fmt: skip
def on(points, rows, faces, corner, first, second, bb, bc, cc, begin, end, out, shares):
    """For the pairs `begin`..`end` of a point `rows` (M,) and a triangle `faces` (M,), given as a `corner` and
    two edges (F, 3) with their products (F,): the nearest point into `out` (M, 3), its barycentric shares into
    `shares` (M, 3).

    Source: C. Ericson, "Real-Time Collision Detection" (2005), 5.1.5. Sums run as numpy's einsum has them.
    """
    for k in range(begin, end):
        p, f = rows[k], faces[k]
        x, y, z = points[p, 0] - corner[f, 0], points[p, 1] - corner[f, 1], points[p, 2] - corner[f, 2]
        d1 = (first[f, 0] * x + first[f, 2] * z) + first[f, 1] * y
        d2 = (second[f, 0] * x + second[f, 2] * z) + second[f, 1] * y
        d3, d4, d5, d6 = d1 - bb[f], d2 - bc[f], d1 - bc[f], d2 - cc[f]
        va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
        total = 1.0 / (va + vb + vc)
        v, w = vb * total, vc * total
        edge, up, whole = -1, 0.0, 0.0
        if va <= 0.0 and d4 >= d3 and d5 >= d6:
            edge, up, whole = 0, d4 - d3, (d4 - d3) + (d5 - d6)
        if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
            edge, up, whole = 1, d2, d2 - d6
        if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
            edge, up, whole = 2, d1, d1 - d3
        if edge >= 0:
            s = up / whole
            if math.isnan(s):
                s = 0.0
            elif s == math.inf:
                s = 1.7976931348623157e308
            elif s == -math.inf:
                s = -1.7976931348623157e308
            if edge == 0:
                v, w = 1.0 - s, s
            elif edge == 1:
                v, w = 0.0, s
            else:
                v, w = s, 0.0
        if d6 >= 0.0 and d5 <= d6:
            v, w = 0.0, 1.0
        if d3 >= 0.0 and d4 <= d3:
            v, w = 1.0, 0.0
        if d1 <= 0.0 and d2 <= 0.0:
            v, w = 0.0, 0.0
        # A triangle without area can leave no number: its first corner stands for it.
        if not (math.isfinite(v) and math.isfinite(w)):
            v, w = 0.0, 0.0
        shares[k, 0], shares[k, 1], shares[k, 2] = 1.0 - v - w, v, w
        out[k, 0] = corner[f, 0] + v * first[f, 0] + w * second[f, 0]
        out[k, 1] = corner[f, 1] + v * first[f, 1] + w * second[f, 1]
        out[k, 2] = corner[f, 2] + v * first[f, 2] + w * second[f, 2]
