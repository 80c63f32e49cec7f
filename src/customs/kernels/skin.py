"""Linear blend skinning of one mesh in many poses."""

from __future__ import annotations

from numba import njit, types

F64_IN = types.Array(types.float64, 2, "C", readonly=True)
I32_IN = types.Array(types.int32, 2, "C", readonly=True)
CUBE_IN = types.Array(types.float64, 3, "C", readonly=True)
CUBE = types.Array(types.float64, 3, "C")


@njit(types.void(F64_IN, I32_IN, F64_IN, CUBE_IN, types.int64, types.int64, CUBE), cache=True, nogil=True)
def posed(points, joints, weights, matrices, begin, end, out):
    """Places of `points` (V, 3) in the poses `begin`..`end`, into `out` (T, V, 3): the sum of `matrices`
    (T, J, 12), rows of 3 × 4, by `weights` (V, K) of `joints` (V, K), times the point. Joints are all there.
    """
    width = joints.shape[1]
    for t in range(begin, end):
        for v in range(len(points)):
            a0, a1, a2, a3 = 0.0, 0.0, 0.0, 0.0
            b0, b1, b2, b3 = 0.0, 0.0, 0.0, 0.0
            c0, c1, c2, c3 = 0.0, 0.0, 0.0, 0.0
            for k in range(width):
                w, j = weights[v, k], joints[v, k]
                a0 += w * matrices[t, j, 0]
                a1 += w * matrices[t, j, 1]
                a2 += w * matrices[t, j, 2]
                a3 += w * matrices[t, j, 3]
                b0 += w * matrices[t, j, 4]
                b1 += w * matrices[t, j, 5]
                b2 += w * matrices[t, j, 6]
                b3 += w * matrices[t, j, 7]
                c0 += w * matrices[t, j, 8]
                c1 += w * matrices[t, j, 9]
                c2 += w * matrices[t, j, 10]
                c3 += w * matrices[t, j, 11]
            # Summed as numpy's einsum sums four, two by two.
            x, y, z = points[v, 0], points[v, 1], points[v, 2]
            out[t, v, 0] = (a0 * x + a2 * z) + (a1 * y + a3)
            out[t, v, 1] = (b0 * x + b2 * z) + (b1 * y + b3)
            out[t, v, 2] = (c0 * x + c2 * z) + (c1 * y + c3)
