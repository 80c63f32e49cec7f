"""Faces divided along a plane: edges are cut where they cross it, and every face beside a cut edge with them, so that
no corner comes to lie on the middle of another face's edge.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

U32 = npt.NDArray[np.uint32]
F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]
ON_PLANE = 1e-7
"""What lies nearer to a plane than this share of the extent lies on it: single precision knows no finer."""


@dataclass(frozen=True, eq=False)
class Division:
    """`faces` (G, 3) over the old vertices and, after them, a new one on each of `edges` (N, 2) at `share` (N,) of the way;
    `source` (G,) is the face each is a part of.
    """

    faces: U32
    source: Ints
    edges: Ints
    share: F64


def heights(points: F64, point: Any, normal: Any) -> F64:
    """(V,) distances of points (V, 3) from a plane, positive where its normal points; 0 for what lies on it."""
    n = np.asarray(normal, np.float64)
    away = (points - np.asarray(point, np.float64)) @ (n / np.linalg.norm(n))
    size = float(np.ptp(points, axis=0).max(initial=0.0)) if len(points) else 0.0
    return np.where(np.abs(away) <= ON_PLANE * size, 0.0, away)


def divided(faces: U32, place: npt.NDArray[Any], height: F64, meant: Mask | None = None) -> Division:
    """Faces (F, 3) cut where edges of those `meant` (all without it) cross height 0; `place` (V,) numbers the places of
    vertices, which share one height (V,).
    """
    f = faces.astype(np.int64)
    a, b = f.reshape(-1), f[:, [1, 2, 0]].reshape(-1)
    crossing = height[a] * height[b] < 0
    pa, pb = place[a].astype(np.int64), place[b].astype(np.int64)
    edge = np.minimum(pa, pb) * (int(place.max(initial=0)) + 1) + np.maximum(pa, pb)
    if meant is not None:
        crossing &= np.isin(edge, edge[crossing & np.repeat(meant, 3)])
    flag = crossing.reshape(-1, 3)
    # Both sides of a seam reckon from the same end, so that their new vertices come to lie at one place to the last bit.
    swap = pa > pb
    low, high = np.where(swap, b, a)[crossing], np.where(swap, a, b)[crossing]
    pair, number = np.unique(low * len(height) + high, return_inverse=True)
    edges = np.stack([pair // len(height), pair % len(height)], axis=1)
    share = height[edges[:, 0]] / (height[edges[:, 0]] - height[edges[:, 1]])
    new = np.full(len(a), -1, np.int64)
    new[crossing] = len(height) + number.reshape(-1)
    return Division(*_parts(f, flag, new.reshape(-1, 3)), edges, share)


def _parts(f: Ints, flag: Mask, new: Ints) -> tuple[U32, Ints]:
    """(faces, the face each is a part of): whole ones, halves where one edge is cut, thirds where two are."""
    count, number = flag.sum(axis=1), np.arange(len(f))
    parts, sources = [f[count == 0]], [number[count == 0]]
    one = np.flatnonzero(count == 1)
    if len(one):
        k = flag[one].argmax(axis=1)
        a, b, c = (f[one, (k + i) % 3] for i in range(3))
        p = new[one, k]
        parts += [np.stack([a, p, c], axis=1), np.stack([p, b, c], axis=1)]
        sources += [one, one]
    two = np.flatnonzero(count == 2)
    if len(two):
        # The corner between the two cut edges comes first.
        k = (flag[two].argmin(axis=1) + 2) % 3
        a, b, c = (f[two, (k + i) % 3] for i in range(3))
        p, q = new[two, k], new[two, (k + 2) % 3]
        parts += [np.stack(x, axis=1) for x in ((a, p, q), (p, b, c), (p, c, q))]
        sources += [two] * 3
    out, source = np.concatenate(parts), np.concatenate(sources)
    order = np.argsort(source, kind="stable")
    return out[order].astype(np.uint32), source[order]


def overlapping(points: F64, faces: U32, low: Any, high: Any) -> Mask:
    """Faces (F,) whose own bounds reach into a box."""
    corner = points[faces]
    return ((corner.max(axis=1) >= low) & (corner.min(axis=1) <= high)).all(axis=1)
