"""Fewer triangles over the same vertices, for pictures that move where a software driver draws."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.weld import unique_rows

U32 = npt.NDArray[np.uint32]
MOST_CELLS = 1 << 16
COUNTED = 100_000
"""Triangles whose area is measured; of more, as many of them, spread evenly."""


def thinned(positions: Any, faces: Any, target: int, apart: Any = None) -> U32:
    """About `target` of the triangles `faces` (F, 3), as triangles (G, 3) over the same vertices (V, 3).

    Vertices that share a cell of a grid are drawn as the first of them, so what hangs on it (texture
    coordinates, weights) stays its own. Where `apart` (V,) integers differ, vertices stay apart. Source of
    the idea: vertex clustering, Rossignac and Borrel 1993.
    """
    p, f = np.asarray(positions, dtype=np.float32), np.asarray(faces, dtype=np.uint32)
    if not np.isfinite(p).all():
        p = np.nan_to_num(p, posinf=0.0, neginf=0.0)
    # A grid cell of edge s on a surface of this area makes area / s² vertices, and twice as many triangles.
    low, high = p.min(axis=0), p.max(axis=0)
    edge = max(
        float(np.sqrt(2 * area_about(p, f) / max(target, 1))), float((high - low).max()) / MOST_CELLS, 1e-12
    )
    cell = np.minimum((p - low) * np.float32(1 / edge), np.float32(MOST_CELLS - 1)).astype(np.uint32)
    words = np.empty((len(p), 2), np.uint32)
    words[:, 0] = cell[:, 0] << 16 | cell[:, 1]
    words[:, 1] = cell[:, 2] << 6 | (np.asarray(apart).astype(np.uint32) & 63 if apart is not None else 0)
    first, cluster = unique_rows([words])
    a, b, c = first.astype(np.uint32)[cluster][f.T]
    whole = (a != b) & (b != c) & (c != a)
    return np.stack([a[whole], b[whole], c[whole]], axis=1)


def area_about(positions: npt.NDArray[np.float32], faces: U32) -> float:
    """The area of `faces` (F, 3) over `positions` (V, 3), from as many of them as tell it well."""
    some = faces[:: max(1, len(faces) // COUNTED)]
    a, b, c = (positions[some[:, k]].astype(np.float64) for k in range(3))
    return float(0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()) * len(faces) / max(len(some), 1)


def sides(normals: Any, texcoords: Any) -> npt.NDArray[np.int64]:
    """(V,) numbers under 64 that keep opposite sides and pieces of the unwrap apart: octant of the normal,
    quarter of the UVs.
    """
    octant = (np.asarray(normals) > 0) @ np.array([1, 2, 4]) if normals is not None else np.zeros(1, np.int64)
    if texcoords is None:
        return octant
    quarter = (
        np.floor(np.nan_to_num(np.asarray(texcoords, dtype=np.float64)) * 4).clip(-1e6, 1e6).astype(np.int64)
    )
    return octant * 8 + (quarter[:, 0] * 3 + quarter[:, 1]) % 8
