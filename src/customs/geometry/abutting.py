"""Faces that lie against others which look the other way: between solids that touch, where nobody sees them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.geometry.solids import clip
from customs.geometry.triangles import face_vectors
from customs.scene.arrays import runs

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
WHOLE = 1e-4
"""Share of a face that may stick out and still not count (rounding of corners to single precision)."""
AT_ONCE = 400_000
MOST_PAIRS, MOST_COVERS = 20_000_000, 64
"""Pairs of faces looked at in one plane, and faces that may cover one between them; beyond that a face is left as it is."""


def covered(points: F64, faces: npt.NDArray[np.integer], near: float) -> npt.NDArray[np.bool_]:
    """(F,) triangles that lie wholly, within `near`, against triangles that look the other way.

    What covers a face is added up, less what covers it twice: by Bonferroni's inequality that is never more than what is
    covered, so no face that shows is taken.
    """
    whole = face_vectors(points, faces.astype(np.uint32)).astype(np.float64)
    length = np.linalg.norm(whole, axis=1)
    real = length > 0
    normals = whole / np.where(real, length, 1.0)[:, None]
    area = length / 2
    out = np.zeros(len(faces), bool)
    group, side = _planes(points[faces[:, 0]], normals, real, near)
    mine, other = _pairs(points[faces], normals, group, side)
    if not len(mine):
        return out
    parts = np.array_split(np.arange(len(mine)), max(1, len(mine) // AT_ONCE))
    met = [_common(points, faces, normals, mine[p], other[p]) for p in parts]
    shared = np.concatenate([_areas(c, s) for c, s in met])
    total = np.bincount(mine, shared, minlength=len(faces))
    likely = real & (total >= area * (1 - WHOLE))
    out[likely] = True
    # Where more is added up than there is, some of it is covered twice.
    double = likely & (total > area * (1 + WHOLE))
    crowded = np.bincount(mine[shared > 0], minlength=len(faces)) > MOST_COVERS
    out[double & crowded] = False
    double &= ~crowded
    if double.any():
        twice = _twice(points, faces, normals, mine, other, shared, double)
        out[double] = total[double] - twice[double] >= area[double] * (1 - WHOLE)
    return out


def _planes(
    at: F64, normals: F64, real: npt.NDArray[np.bool_], near: float
) -> tuple[Ints, npt.NDArray[np.bool_]]:
    """(the plane each face lies in (F,), −1 for none, which side of it each looks to (F,))."""
    lead = np.argmax(np.abs(np.round(normals, 4)) > 0.1, axis=1)
    side = normals[np.arange(len(normals)), lead] > 0
    way = np.round(np.where(side[:, None], normals, -normals), 4) + 0.0
    far = np.einsum("fj,fj->f", way, at)
    order = np.lexsort([far, way[:, 2], way[:, 1], way[:, 0]])
    # Planes of one direction are one as long as the next is near.
    same = (way[order][1:] == way[order][:-1]).all(axis=1) & (np.diff(far[order]) <= near)
    group = np.empty(len(normals), np.intp)
    group[order] = np.concatenate([[0], np.cumsum(~same)]) if len(order) else []
    group[~real] = -1
    return group, side


def _pairs(corners: F64, normals: F64, group: Ints, side: npt.NDArray[np.bool_]) -> tuple[Ints, Ints]:
    """(face, face of the same plane that looks the other way) whose boxes overlap, both ways round."""
    low, high = corners.min(axis=1), corners.max(axis=1)
    front, back = np.flatnonzero((group >= 0) & side), np.flatnonzero((group >= 0) & ~side)
    both = np.intersect1d(group[front], group[back])
    front, back = front[np.isin(group[front], both)], back[np.isin(group[back], both)]
    if not len(front):
        return np.zeros(0, np.intp), np.zeros(0, np.intp)
    # Along the axis on which things are widest apart, those of one plane are a run; what begins before the end may overlap.
    spread = corners.reshape(-1, 3)
    axis = int(np.argmax(spread.max(axis=0) - spread.min(axis=0)))
    reach = float(spread[:, axis].max() - spread[:, axis].min()) + 1.0
    base = float(spread[:, axis].min())

    def key(rows: Ints, values: F64) -> F64:
        return group[rows] * (3 * reach) + (values[rows, axis] - base)

    longest = np.zeros(int(group.max()) + 1)
    np.maximum.at(longest, group[back], (high - low)[back, axis])
    back = back[np.argsort(key(back, low), kind="stable")]
    begins = key(back, low)
    first = np.searchsorted(begins, key(front, low) - longest[group[front]], "left")
    last = np.searchsorted(begins, key(front, high), "right")
    count = np.maximum(last - first, 0)
    crowd = np.bincount(group[front], count)
    count[crowd[group[front]] > MOST_PAIRS] = 0
    i, j = np.repeat(front, count), back[runs(first, count)]
    touch = (
        (group[i] == group[j]) & (low[i] < high[j] + 1e-9).all(axis=1) & (low[j] < high[i] + 1e-9).all(axis=1)
    )
    i, j = i[touch], j[touch]
    return np.concatenate([i, j]), np.concatenate([j, i])


def _common(
    points: F64, faces: npt.NDArray[np.integer], normals: F64, mine: Ints, other: Ints
) -> tuple[F64, Ints]:
    """What faces `mine` (N,) have in common with `other` (N,), seen along their normals: (corners (N, K, 3), sizes (N,))."""
    corners, sizes = points[faces[mine]], np.full(len(mine), 3, np.intp)
    return cut_by(corners, sizes, points, faces, normals, other)


def cut_by(
    corners: F64, sizes: Ints, points: F64, faces: npt.NDArray[np.integer], normals: F64, other: Ints
) -> tuple[F64, Ints]:
    """Convex polygons (N, K, 3) cut to what lies over a triangle each (N,): (corners, sizes)."""
    edges = np.zeros(corners.shape[:2], np.intp)
    for k in range(3):
        a, b = points[faces[other, k]], points[faces[other, (k + 1) % 3]]
        outward = np.cross(b - a, normals[other])
        outward /= np.maximum(np.linalg.norm(outward, axis=1, keepdims=True), 1e-30)
        planes = np.concatenate([outward, np.einsum("nj,nj->n", outward, a)[:, None]], axis=1)
        rows = np.flatnonzero(sizes > 0)
        corners, edges = clip(corners, edges, sizes, rows, planes[rows], np.zeros(len(rows), np.intp))
    return corners, sizes


def _areas(corners: F64, sizes: Ints) -> F64:
    """(N,) areas of convex polygons."""
    there = np.arange(corners.shape[1])[None] < sizes[:, None]
    around = np.where(there[..., None], corners - corners[:, :1], 0.0)
    fans = np.cross(around[:, :-1], around[:, 1:]).sum(axis=1)
    return np.where(sizes >= 3, np.linalg.norm(fans, axis=1) / 2, 0.0)


def _twice(
    points: F64, faces: npt.NDArray[np.integer], normals: F64, mine: Ints, other: Ints, shared: F64, which: npt.NDArray[np.bool_]
) -> F64:  # fmt: skip
    """(F,) how much of the faces `which` is covered by two others, each two added up."""
    rows = np.flatnonzero(which[mine] & (shared > 0))
    rows = rows[np.argsort(mine[rows], kind="stable")]
    own = mine[rows]
    begins = np.searchsorted(own, np.arange(len(faces) + 1))
    # Each with all that come after it for the same face.
    after = begins[own + 1] - np.arange(len(rows)) - 1
    a, b = np.repeat(np.arange(len(rows)), after), runs(np.arange(len(rows)) + 1, after)
    out = np.zeros(len(faces))
    for part in np.array_split(np.arange(len(a)), max(1, len(a) // AT_ONCE)):
        first, second = rows[a[part]], rows[b[part]]
        corners, sizes = _common(points, faces, normals, mine[first], other[first])
        corners, sizes = cut_by(corners, sizes, points, faces, normals, other[second])
        out += np.bincount(mine[first], _areas(corners, sizes), minlength=len(faces))
    return out
