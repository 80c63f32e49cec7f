"""Points inside a closed outline in the plane."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt


def inside_outline(points: npt.ArrayLike, outline: npt.ArrayLike) -> npt.NDArray[np.bool_]:
    """(N,) True for points (N, 2) inside the closed outline (M, 2), by the even-odd rule; never for NaN.

    Source: a ray to +x crosses the outline an odd number of times (M. Shimrat, "Algorithm 112", CACM 1962).
    """
    p, a = (
        np.asarray(points, dtype=np.float64).reshape(-1, 2),
        np.asarray(outline, dtype=np.float64).reshape(-1, 2),
    )
    inside = np.zeros(len(p), dtype=bool)
    if len(a) < 3:
        return inside
    # By height, so that each edge looks only at the points beside it: every point is beside two edges or so.
    order = np.argsort(p[:, 1])
    x, y = p[order].T
    b = np.roll(a, -1, axis=0)
    low, high = np.minimum(a[:, 1], b[:, 1]), np.maximum(a[:, 1], b[:, 1])
    starts, ends = np.searchsorted(y, low, side="left"), np.searchsorted(y, high, side="left")
    odd = np.zeros(len(p), dtype=bool)
    for (ax, ay), (bx, by), start, end in zip(a, b, starts, ends):
        if end > start:
            odd[start:end] ^= x[start:end] < ax + (y[start:end] - ay) / (by - ay) * (bx - ax)
    inside[order] = odd
    return inside
