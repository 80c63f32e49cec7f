"""Straight lines through triangles."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]


def hits(points: F64, faces: npt.NDArray[Any], start: Any, way: Any) -> F64:
    """(F,) how far along `way` (3,) from `start` (3,) each triangle is met, inf where it is not or lies behind.

    Source: Möller and Trumbore, "Fast, minimum storage ray/triangle intersection" (1997); both sides count.
    """
    s, d = np.asarray(start, np.float64), np.asarray(way, np.float64)
    a, b, c = (points[faces[:, k]] for k in range(3))
    ab, ac, to = b - a, c - a, s - a
    p = np.cross(d, ac)
    with np.errstate(invalid="ignore", divide="ignore"):
        scale = 1 / np.einsum("ij,ij->i", ab, p)
        u = np.einsum("ij,ij->i", to, p) * scale
        q = np.cross(to, ab)
        v = q @ d * scale
        t = np.einsum("ij,ij->i", ac, q) * scale
        good = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0)
    return np.where(good, t, np.inf)


def on_plane(corners: F64, start: Any, way: Any) -> F64 | None:
    """(3,) where a line meets the plane of a triangle (3, 3); None where it runs along it."""
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    slope = float(normal @ np.asarray(way, np.float64))
    if abs(slope) < 1e-15:
        return None
    t = float(normal @ (corners[0] - np.asarray(start, np.float64))) / slope
    return np.asarray(start, np.float64) + t * np.asarray(way, np.float64)
