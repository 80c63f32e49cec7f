"""Points inside a closed outline in the plane."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

CHUNK = 4_000_000
"""Pairs of a point and an edge looked at together (count)."""


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
    b = np.roll(a, -1, axis=0)
    rise = np.where(b[:, 1] == a[:, 1], 1.0, b[:, 1] - a[:, 1])
    step = max(CHUNK // len(a), 1)
    for start in range(0, len(p), step):
        x, y = p[start : start + step, :1], p[start : start + step, 1:]
        spans = (a[:, 1] > y) != (b[:, 1] > y)
        crosses = spans & (x < a[:, 0] + (y - a[:, 1]) / rise * (b[:, 0] - a[:, 0]))
        inside[start : start + step] = crosses.sum(axis=1) % 2 == 1
    return inside
