"""Distances along a surface from some of its places."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.later import later
from customs.scene.arrays import finite_rows

sparse = later("scipy.sparse")
F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]
ROUNDS, NARROW = 12, 2.0
"""Rounds at most in each band of triangles, and how many mean edges a band is wide."""
ENOUGH = 2.0
"""A way along edges is at most this much longer than the straight one over well-shaped triangles."""


def distances(points: F64, faces: npt.NDArray[np.integer], seeds: Mask, most: float) -> F64:
    """(P,) metres along the faces (F, 3) of places (P, 3) from the nearest of `seeds` (P,) bool; inf beyond `most`, and where
    a place is no number.

    Ways along edges first (Dijkstra 1959), then straight ways over each triangle from where its two nearer corners say
    the beginning lies, unfolded into its plane (after Kimmel and Sethian 1998, "Computing geodesic paths on manifolds";
    exact in the plane from one place). Bands of growing distance, each settled before the next.
    """
    out = np.full(len(points), np.inf)
    sound = finite_rows(points)
    seeds = seeds & sound
    if not seeds.any():
        return out
    faces = faces[sound[faces].all(axis=1)]
    f = faces.astype(np.int64)
    f = f[_within(points, seeds, most)[f].any(axis=1)]
    out[seeds] = 0.0
    if not len(f):
        return out
    out = _along_edges(points, f, seeds, most * ENOUGH)
    _straightened(points, f, out, most)
    out[out > most] = np.inf
    return out


def _within(points: F64, seeds: Mask, most: float) -> Mask:
    """Places no further than `most` in a straight line from the box of the seeds: no way along is shorter."""
    low, high = points[seeds].min(axis=0), points[seeds].max(axis=0)
    off = np.maximum(np.maximum(low - points, points - high), 0.0)
    return np.linalg.norm(off, axis=1) <= most


def _along_edges(points: F64, f: Ints, seeds: Mask, most: float) -> F64:
    a, b = f.reshape(-1), f[:, [1, 2, 0]].reshape(-1)
    pair = np.unique(np.minimum(a, b) * len(points) + np.maximum(a, b))
    a, b = pair // len(points), pair % len(points)
    # An edge of no length would be none for SciPy.
    length = np.maximum(np.linalg.norm(points[a] - points[b], axis=1), 1e-12)
    graph = sparse.coo_matrix((length, (a, b)), shape=(len(points),) * 2).tocsr()
    starts = np.flatnonzero(seeds)
    return np.asarray(
        sparse.csgraph.dijkstra(graph, directed=False, indices=starts, min_only=True, limit=most), np.float64
    )


def _straightened(points: F64, f: Ints, out: F64, most: float) -> None:
    """Shorten `out` in place over triangles, band by band."""
    far = out[f].max(axis=1)
    f, far = f[np.isfinite(far)], far[np.isfinite(far)]
    if not len(f):
        return
    order = np.argsort(far)
    f, far = f[order], far[order]
    corner = points[f]
    sides = [np.linalg.norm(corner[:, (k + 1) % 3] - corner[:, k], axis=1) for k in range(3)]
    width = max(NARROW * float(np.mean(sides)), most * 1e-3, 1e-12)
    at = 0.0
    while at <= far[-1]:
        a, b = np.searchsorted(far, [at - width, at + 2 * width])
        for _ in range(ROUNDS):
            if not _round(f[a:b], [s[a:b] for s in sides], out):
                break
        at += width


def _round(f: Ints, sides: list[F64], out: F64) -> bool:
    """One round over some triangles; True where anything became shorter."""
    shorter = False
    for k in range(3):
        a, b, c = f[:, k], f[:, (k + 1) % 3], f[:, (k + 2) % 3]
        found = _over(out[a], out[b], sides[k], sides[(k + 1) % 3], sides[(k + 2) % 3])
        less = found < out[c] * (1 - 1e-9)
        if less.any():
            np.minimum.at(out, c[less], found[less])
            shorter = True
    return shorter


def _over(da: F64, db: F64, ab: F64, bc: F64, ca: F64) -> F64:
    """Distance of c over a triangle a b c from a beginning that is `da` from a and `db` from b on the other side of the
    edge between; inf where the straight way does not cross that edge.
    """
    with np.errstate(invalid="ignore", divide="ignore"):
        cx = (ca**2 - bc**2 + ab**2) / (2 * ab)
        cy = np.sqrt(np.maximum(ca**2 - cx**2, 0.0))
        sx = (da**2 - db**2 + ab**2) / (2 * ab)
        sy2 = da**2 - sx**2
        sy = np.sqrt(np.maximum(sy2, 0.0))
        over = sx + (cx - sx) * sy / (sy + cy)
        good = (sy2 >= -1e-9 * ab**2) & (sy + cy > 0) & (over >= 0) & (over <= ab)
        return np.where(good, np.hypot(cx - sx, cy + sy), np.inf)


def falloff(distance: F64, reach: float) -> F64:
    """Shares from 1 at 0 to 0 at `reach` (metres), level at both ends (the smooth step 3t² − 2t³)."""
    if reach <= 0:
        return (distance <= 0).astype(np.float64)
    t = np.clip(1 - np.minimum(distance, reach) / reach, 0.0, 1.0)
    return t * t * (3 - 2 * t)
