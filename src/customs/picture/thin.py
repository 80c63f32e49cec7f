"""Fewer triangles over the same vertices, for pictures that move where a software driver draws."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

U32 = npt.NDArray[np.uint32]
MOST_CELLS = 1 << 16


def thinned(positions: Any, faces: Any, target: int, apart: Any = None) -> U32:
    """About `target` of the triangles `faces` (F, 3), as triangles (G, 3) over the same vertices (V, 3).

    Vertices that share a cell of a grid are drawn as the first of them, so what hangs on it (texture
    coordinates, weights) stays its own. Where `apart` (V,) integers differ, vertices stay apart. Source of
    the idea: vertex clustering, Rossignac and Borrel 1993.
    """
    p, f = (
        np.nan_to_num(np.asarray(positions, dtype=np.float64), posinf=0.0, neginf=0.0),
        np.asarray(faces, dtype=np.int64),
    )
    a, b, c = p[f[:, 0]], p[f[:, 1]], p[f[:, 2]]
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()
    # A grid cell of edge s on a surface of this area makes area / s² vertices, and twice as many triangles.
    low, high = p.min(axis=0), p.max(axis=0)
    edge = max(float(np.sqrt(2 * area / max(target, 1))), float((high - low).max()) / MOST_CELLS, 1e-12)
    cell = np.minimum((p - low) / edge, MOST_CELLS - 1).astype(np.int64)
    key = (cell[:, 0] * MOST_CELLS + cell[:, 1]) * MOST_CELLS + cell[:, 2]
    if apart is not None:
        key = key * 64 + np.asarray(apart, dtype=np.int64) % 64
    _, first, cluster = np.unique(key, return_index=True, return_inverse=True)
    small = first[cluster.reshape(-1)[f]]
    whole = (small[:, 0] != small[:, 1]) & (small[:, 1] != small[:, 2]) & (small[:, 2] != small[:, 0])
    return small[whole].astype(np.uint32)


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
