"""Polygons of many pieces as one tight surface: corners that lie together made one, and corners put into the edges they lie on."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.weld import groups_near
from customs.scene.arrays import runs

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]


def together(points: F64, near: float) -> tuple[F64, Ints]:
    """(places (W, 3), which place each point (N,) is at): points within `near` of one another, also by way of others, are one, at the
    place of the first of them.
    """
    label = groups_near(points + 0.0, near).astype(np.intp)
    lead = np.full(int(label.max(initial=-1)) + 1, len(points))
    np.minimum.at(lead, label, np.arange(len(points)))
    return points[lead], label


def without_repeats(corners: Ints, sizes: Ints) -> tuple[Ints, Ints, npt.NDArray[np.bool_]]:
    """Polygons without corners that repeat the one before: (corners, sizes, which polygons (P,) are left); those of fewer than three
    corners are none.
    """
    starts = np.cumsum(sizes) - sizes
    before = np.arange(len(corners)) - 1
    before[starts] = starts + sizes - 1
    keep = corners != corners[before]
    left = np.add.reduceat(keep, starts).astype(np.intp) if len(sizes) else sizes
    alive = left >= 3
    keep &= np.repeat(alive, sizes)
    return corners[keep], left[alive], alive


def closed(places: F64, corners: Ints, sizes: Ints, near: float) -> tuple[Ints, Ints, npt.NDArray[np.bool_]]:
    """Polygons (corners, sizes, which corners were there before) with every place that lies on one of their edges, within `near`, as a
    corner: nothing shows through where a long edge meets two short ones.
    """
    starts = np.cumsum(sizes) - sizes
    following = np.arange(len(corners)) + 1
    following[starts + sizes - 1] = starts
    ends = np.stack([corners, corners[following]], axis=1)
    edges, which = np.unique(np.sort(ends, axis=1), axis=0, return_inverse=True)
    edge, place, share = _on_edges(places, edges, near)
    if not len(edge):
        return corners, sizes, np.ones(len(corners), bool)
    # Every corner's edge, with the places on it in the order they are met.
    which = which.reshape(-1)
    begins = np.searchsorted(edge, np.arange(len(edges) + 1))
    found = np.diff(begins)[which]
    rows = runs(begins[which], found)
    of = np.repeat(np.arange(len(corners)), found)
    along = np.where(ends[of, 0] == edges[edge[rows], 0], share[rows], 1 - share[rows])
    polygon = np.repeat(np.arange(len(sizes)), sizes)
    corner = np.concatenate([corners, place[rows]])
    order = np.lexsort(
        [np.concatenate([np.zeros(len(corners)), along]), np.concatenate([np.arange(len(corners)), of])]
    )
    own = np.concatenate([np.ones(len(corners), bool), np.zeros(len(rows), bool)])
    more = np.bincount(polygon[of], minlength=len(sizes))
    return corner[order], sizes + more, own[order]


def _on_edges(places: F64, edges: Ints, near: float) -> tuple[Ints, Ints, F64]:
    """(edge (K,) ascending, place (K,), share of the way (K,)) of places strictly within edges (E, 2)."""
    from scipy.spatial import cKDTree

    a, b = places[edges[:, 0]], places[edges[:, 1]]
    length = np.linalg.norm(b - a, axis=1)
    # Long edges are looked around in pieces about as long as a middling one.
    piece = max(float(np.median(length)) if len(length) else 1.0, 4 * near, 1e-9)
    count = np.clip(np.ceil(length / piece), 1, 4096).astype(np.intp)
    of = np.repeat(np.arange(len(edges)), count)
    step = np.arange(int(count.sum())) - np.repeat(np.cumsum(count) - count, count)
    middle = a[of] + (b - a)[of] * ((step + 0.5) / count[of])[:, None]
    # Pieces of about one length together: a few long ones would have all others look far around.
    own = (length / count)[of]
    classes = np.ceil(np.log2(np.maximum(own, near)))
    tree = cKDTree(places)
    parts: list[tuple[Any, Any, Any]] = []
    for some in _together_in(classes, 50_000):
        reach = float(own[some].max()) / 2 + 2 * near
        pairs = cKDTree(middle[some]).sparse_distance_matrix(tree, reach, output_type="ndarray")
        e, p = of[some][pairs["i"]], pairs["j"].astype(np.intp)
        way = (b - a)[e]
        share = np.einsum("ij,ij->i", places[p] - a[e], way) / np.maximum(length[e] ** 2, 1e-30)
        off = np.linalg.norm(places[p] - a[e] - share[:, None] * way, axis=1)
        margin = near / np.maximum(length[e], 1e-30)
        on = (off <= near) & (share > margin) & (share < 1 - margin) & (p != edges[e, 0]) & (p != edges[e, 1])
        parts.append((e[on], p[on], share[on]))
    none = np.zeros(0, np.intp)
    edge, place, share = (
        np.concatenate([none if k < 2 else np.zeros(0), *(x[k] for x in parts)]) for k in range(3)
    )
    _, first = np.unique(np.stack([edge, place], axis=1), axis=0, return_index=True)
    edge, place, share = edge[first], place[first], share[first]
    order = np.argsort(edge, kind="stable")
    return edge[order], place[order], share[order]


def _together_in(classes: F64, most: int) -> list[Ints]:
    """Rows of each class, at most so many at a time."""
    order = np.argsort(classes, kind="stable")
    cuts = np.flatnonzero(np.diff(classes[order])) + 1
    return [
        some
        for rows in np.split(order, cuts)
        for some in np.array_split(rows, max(1, len(rows) // most))
        if len(some)
    ]


def fans(points: F64, corners: Ints, sizes: Ints, own: npt.NDArray[np.bool_]) -> tuple[Ints, F64, Ints, Ints]:
    """Convex polygons as triangles: (rows (T, 3) of corners, middles (M, 3) that were added as further rows, the polygon of each triangle
    (T,) and of each middle (M,)). Corners that lie on an edge (not `own`) begin no fan, and none does that has one beside it: such a polygon gets its middle.
    """
    starts = np.cumsum(sizes) - sizes
    polygon = np.repeat(np.arange(len(sizes)), sizes)
    place = np.arange(len(corners)) - starts[polygon]
    before = starts[polygon] + (place - 1) % sizes[polygon]
    after = starts[polygon] + (place + 1) % sizes[polygon]
    clean = own & own[before] & own[after]
    lead = np.full(len(sizes), len(corners))
    np.minimum.at(lead, polygon[clean], np.flatnonzero(clean))
    plain = lead < len(corners)
    # A fan from the lead over the corners after it; a wheel about the middle for the rest.
    n = np.where(plain, sizes - 2, sizes)
    of = np.repeat(np.arange(len(sizes)), n)
    step = np.arange(int(n.sum())) - np.repeat(np.cumsum(n) - n, n)
    first = np.where(plain, lead - starts, 0)[of]
    skip = plain[of].astype(np.intp)
    second = starts[of] + (first + step + skip) % sizes[of]
    third = starts[of] + (first + step + skip + 1) % sizes[of]
    middle_row = len(corners) + np.cumsum(~plain) - 1
    apex = np.where(plain[of], np.minimum(lead, len(corners) - 1)[of], middle_row[of])
    wheels = np.flatnonzero(~plain)
    sums = np.add.reduceat(points[corners], starts, axis=0) if len(sizes) else np.zeros((0, 3))
    return np.stack([apex, second, third], axis=1), sums[wheels] / sizes[wheels, None], of, wheels
