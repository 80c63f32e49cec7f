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
            x, y, z = points[v, 0], points[v, 1], points[v, 2]
            for row in range(3):
                a, b, c, d = 0.0, 0.0, 0.0, 0.0
                for k in range(width):
                    w, j = weights[v, k], joints[v, k]
                    a += w * matrices[t, j, 4 * row]
                    b += w * matrices[t, j, 4 * row + 1]
                    c += w * matrices[t, j, 4 * row + 2]
                    d += w * matrices[t, j, 4 * row + 3]
                # Summed as numpy's einsum sums four, two by two.
                out[t, v, row] = (a * x + c * z) + (b * y + d)
