"""Choosing faces: what hangs together, rings around, what lies where, the other side of a mirror.

Everywhere `places` (F, 3) are the faces by the numbers of their corners' places, `chosen` (F,) is a mask of faces.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.outline import inside_outline
from customs.later import later

sparse = later("scipy.sparse")
spatial = later("scipy.spatial")
F64 = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]


def hanging_together(places: npt.NDArray[Any], chosen: Mask) -> Mask:
    """The chosen faces and all that share a corner with one, and so on."""
    count = int(places.max(initial=-1)) + 1
    if not chosen.any():
        return chosen.copy()
    ends = np.concatenate([places[:, :2], places[:, 1:]])
    graph = sparse.coo_matrix((np.ones(len(ends), np.int8), (ends[:, 0], ends[:, 1])), shape=(count, count))
    label = sparse.csgraph.connected_components(graph, directed=False)[1]
    mine = label[places[:, 0]]
    return np.isin(mine, np.unique(mine[chosen]))


def grown(places: npt.NDArray[Any], chosen: Mask, rings: int) -> Mask:
    """The choice with `rings` rings of faces around it, or without as many of its own where negative."""
    out = chosen if rings >= 0 else ~chosen
    touched = np.zeros(int(places.max(initial=-1)) + 1, dtype=bool)
    for _ in range(abs(rings)):
        touched[places[out]] = True
        out = out | touched[places].any(axis=1)
    return out.copy() if rings >= 0 else ~out


def mirrored(centres: F64, chosen: Mask, tolerance: float) -> Mask:
    """Faces whose centres (F, 3) lie where those of the chosen would at the other side of x = 0, within
    `tolerance`.
    """
    out = np.zeros(len(centres), dtype=bool)
    good = np.flatnonzero(np.isfinite(centres).all(axis=1))
    meant = good[chosen[good]]
    if len(meant):
        there = centres[meant] * (-1.0, 1.0, 1.0)
        off, at = spatial.cKDTree(centres[good]).query(there, distance_upper_bound=tolerance)
        out[good[at[np.isfinite(off)]]] = True
    return out


def in_box(centres: F64, low: Any, high: Any) -> Mask:
    """Centres (F, 3) between two corners (3,) of a box, those on it too."""
    return ((centres >= low) & (centres <= high)).all(axis=1)


def beside_plane(centres: F64, point: Any, normal: Any) -> Mask:
    """Centres (F, 3) on the side of a plane its normal points to."""
    return (centres - np.asarray(point, np.float64)) @ np.asarray(normal, np.float64) > 0


def in_lasso(flat: F64, faces: npt.NDArray[Any], outline: Any) -> Mask:
    """Faces all of whose corners (V, 2 on the picture) lie inside an outline drawn round them."""
    ring = np.asarray(outline, np.float64).reshape(-1, 2)
    if len(ring) < 3 or not len(flat):
        return np.zeros(len(faces), dtype=bool)
    # Most of a large mesh lies outside the box of the line: only the rest is asked about.
    near = ((flat >= ring.min(axis=0)) & (flat <= ring.max(axis=0))).all(axis=1)
    inside = np.zeros(len(flat), dtype=bool)
    inside[near] = inside_outline(flat[near], ring)
    return inside[faces].all(axis=1)
