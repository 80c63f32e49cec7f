"""Closest points on a surface, exact: a k-d tree over samples of the triangles with a bound that is proven
for each point.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from types import ModuleType
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.kernels.cores import cores
from customs.kernels.store import kernel_for
from customs.later import later

spatial = later("scipy.spatial")
F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
STAGES = (2, 12, 48)
"""Nearest samples looked at, more in each stage for the points whose bound is not yet proven (counts)."""
WITH_NORMALS = 48
"""Nearest samples looked at where facing counts (count)."""
BATCH = 4_000
"""Points done at a time, on every core, so that the tables stay in the cache (count)."""


@dataclass(frozen=True, eq=False)
class Closest:
    """For N points: the triangle (N,), the point on it (N, 3), its barycentric shares (N, 3), the distance
    (N,).
    """

    face: Ints
    point: F64
    shares: F64
    distance: F64


@dataclass(frozen=True, eq=False)
class Triangles:
    """Triangles as a corner and two edges (M, 3), and the edges' products (M,)."""

    a: F64
    ab: F64
    ac: F64
    bb: F64
    bc: F64
    cc: F64

    @classmethod
    def of(cls, corners: F64) -> Triangles:
        """From corners (M, 3, 3)."""
        a = np.ascontiguousarray(corners[:, 0])
        ab, ac = corners[:, 1] - a, corners[:, 2] - a
        return cls(a, ab, ac, _dot(ab, ab), _dot(ab, ac), _dot(ac, ac))

    def at(self, rows: Ints) -> Triangles:
        """Some of them."""
        return Triangles(*(getattr(self, f)[rows] for f in ("a", "ab", "ac", "bb", "bc", "cc")))


class Surface:
    """Triangles prepared for many questions. `points` (V, 3), `faces` (F, 3), F > 0."""

    def __init__(self, points: npt.NDArray[Any], faces: npt.NDArray[Any]) -> None:
        corners = np.ascontiguousarray(points.astype(np.float64)[faces])
        self.triangles = Triangles.of(corners)
        cross = np.cross(self.triangles.ab, self.triangles.ac)
        length = np.linalg.norm(cross, axis=1, keepdims=True)
        self.normals = cross / np.where(length > 0, length, 1)
        self.samples, self.owner, self.radii = _sampled(corners)
        self.radius = float(self.radii.max(initial=0.0))
        self.tree = spatial.cKDTree(self.samples, balanced_tree=False, compact_nodes=False)

    def closest(self, points: npt.NDArray[Any], normals: npt.NDArray[Any] | None = None) -> Closest:
        """The closest point of the surface for each of `points` (N, 3).

        With `normals` (N, 3) triangles that face away (more than 90 degrees) are passed over where any other
        is among the nearest; that choice is no longer the closest of all, by wish.
        """
        q = np.asarray(points, dtype=np.float64)
        n = None if normals is None else np.asarray(normals, dtype=np.float64)
        cuts = range(0, len(q), BATCH)
        if not len(q):
            return Closest(np.zeros(0, np.intp), np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0))
        with ThreadPoolExecutor(min(len(cuts), cores())) as threads:
            parts = list(
                threads.map(
                    lambda k: self._batch(q[k : k + BATCH], None if n is None else n[k : k + BATCH]), cuts
                )
            )
        return Closest(
            *(np.concatenate([getattr(p, f) for p in parts]) for f in ("face", "point", "shares", "distance"))
        )

    def _batch(self, q: F64, normals: F64 | None) -> Closest:
        best = Closest(
            np.zeros(len(q), np.intp), np.zeros((len(q), 3)), np.zeros((len(q), 3)), np.full(len(q), np.inf)
        )
        if normals is not None:
            count = min(WITH_NORMALS, len(self.samples))
            every = np.asarray(self.tree.query(q, k=count)[1], dtype=np.intp).reshape(-1)
            self._take(best, q, np.repeat(np.arange(len(q)), count), self.owner[every], normals)
            return best
        left = np.arange(len(q))
        for count in STAGES:
            count = min(count, len(self.samples))
            found = self.tree.query(q[left], k=count)
            far = np.asarray(found[0]).reshape(len(left), count)
            near = np.asarray(found[1], dtype=np.intp).reshape(len(left), count)
            self._look(best, q, np.repeat(left, count), near.reshape(-1))
            # No triangle nearer than the last sample minus the largest sample's radius can have been missed.
            left = left[far[:, -1] - self.radius < best.distance[left]]
            if not len(left) or count == len(self.samples):
                return best
        lists = self.tree.query_ball_point(q[left], best.distance[left] + self.radius, return_sorted=False)
        lengths = np.fromiter((len(x) for x in lists), np.intp, len(left))
        self._look(
            best, q, np.repeat(left, lengths), np.concatenate([np.asarray(x, dtype=np.intp) for x in lists])
        )
        return best

    def _look(self, best: Closest, q: F64, rows: Ints, samples: Ints) -> None:
        """Try samples that can hold something nearer than what is known: a piece of a triangle lies in its
        plane, within its radius of the sample."""
        way = q[rows] - self.samples[samples]
        high = np.einsum("ij,ij->i", way, self.normals[self.owner[samples]])
        aside = np.sqrt(np.maximum(np.einsum("ij,ij->i", way, way) - high * high, 0)) - self.radii[samples]
        least = np.sqrt(high * high + np.maximum(aside, 0) ** 2)
        can = np.flatnonzero(least <= best.distance[rows] * (1 + 1e-9))
        self._take(best, q, rows[can], self.owner[samples[can]], None)

    def _take(self, best: Closest, q: F64, rows: Ints, faces: Ints, normals: F64 | None) -> None:
        """Put the nearest of the candidates (`rows` of q in runs, `faces`) into `best` where it is nearer."""
        if not len(rows):
            return
        point, shares = closest_pairs(q, rows, self.triangles, faces)
        way = q[rows] - point
        square = np.einsum("ij,ij->i", way, way)
        judged = square
        if normals is not None:
            judged = square + 1e12 * (np.einsum("ij,ij->i", normals[rows], self.normals[faces]) < 0)
        starts = np.flatnonzero(np.append(True, np.diff(rows) != 0))
        least = np.minimum.reduceat(judged, starts)
        hits = np.flatnonzero(judged <= np.repeat(least, np.diff(np.append(starts, len(rows)))))
        first = hits[np.append(True, np.diff(rows[hits]) != 0)]
        first = first[square[first] < best.distance[rows[first]] ** 2]
        at = rows[first]
        best.face[at], best.point[at], best.shares[at] = faces[first], point[first], shares[first]
        best.distance[at] = np.sqrt(square[first])


def _sampled(corners: F64) -> tuple[F64, Ints, F64]:
    """Samples (S, 3), the triangle each stands for (S,), and how far what it stands for reaches from it (S,).

    A triangle larger than most is cut into four, again and again, until its parts are about as small as the
    others.
    """
    parts, owner = corners, np.arange(len(corners))
    radius = _radius(parts)
    limit = 1.5 * float(np.median(radius)) if len(radius) else 0.0
    done: list[tuple[F64, Ints, F64]] = []
    for _ in range(9):
        big = radius > limit
        if not big.any() or len(parts) + sum(len(p) for p, _, _ in done) > 3_000_000:
            break
        done.append((parts[~big], owner[~big], radius[~big]))
        a, b, c = parts[big, 0], parts[big, 1], parts[big, 2]
        ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
        parts = np.concatenate(
            [np.stack(t, axis=1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
        )
        owner = np.tile(owner[big], 4)
        radius = _radius(parts)
    done.append((parts, owner, radius))
    every = np.concatenate([p for p, _, _ in done])
    reach = np.concatenate([r for _, _, r in done]) * (1 + 1e-9)
    return every.mean(axis=1), np.concatenate([o for _, o, _ in done]), reach


def _radius(parts: F64) -> F64:
    return np.sqrt(((parts - parts.mean(axis=1, keepdims=True)) ** 2).sum(axis=2).max(axis=1, initial=0.0))


def closest_pairs(q: F64, rows: Ints, t: Triangles, faces: Ints) -> tuple[F64, F64]:
    """(points (M, 3), barycentric shares (M, 3)) on triangle `faces` (M,) of `t` nearest to `rows` (M,) of
    `q` (N, 3).
    """
    compiled = kernel_for("closest", len(rows))
    if compiled is None:
        return closest_on(q[rows], t.at(faces))
    return pairs_compiled(compiled, q, rows, t, faces)


def pairs_compiled(compiled: ModuleType, q: F64, rows: Ints, t: Triangles, faces: Ints) -> tuple[F64, F64]:
    """The same by the kernel `closest`."""
    out, shares = np.empty((len(rows), 3)), np.empty((len(rows), 3))
    at = (np.ascontiguousarray(x, np.int64) for x in (rows, faces))
    edges = (np.ascontiguousarray(x) for x in (t.a, t.ab, t.ac, t.bb, t.bc, t.cc))
    compiled.on(np.ascontiguousarray(q), *at, *edges, 0, len(rows), out, shares)
    return out, shares


def closest_on(p: F64, t: Triangles) -> tuple[F64, F64]:
    """(points (M, 3), barycentric shares (M, 3)) nearest to `p` (M, 3) on triangles `t`, one each.

    Source: C. Ericson, "Real-Time Collision Detection" (2005), 5.1.5: which corner, edge or inside a point
    belongs to. The products with the other corners follow from those with the first.
    """
    ap = p - t.a
    d1, d2 = _dot(t.ab, ap), _dot(t.ac, ap)
    d3, d4, d5, d6 = d1 - t.bb, d2 - t.bc, d1 - t.bc, d2 - t.cc
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    with np.errstate(divide="ignore", invalid="ignore"):
        total = 1 / (va + vb + vc)
        v, w = vb * total, vc * total
        for edge, up, whole, kind in (
            ((va <= 0) & (d4 >= d3) & (d5 >= d6), d4 - d3, (d4 - d3) + (d5 - d6), 0),
            ((vb <= 0) & (d2 >= 0) & (d6 <= 0), d2, d2 - d6, 1),
            ((vc <= 0) & (d1 >= 0) & (d3 <= 0), d1, d1 - d3, 2),
        ):
            at = np.flatnonzero(edge)
            s = np.nan_to_num(up[at] / whole[at])
            v[at], w[at] = ((1 - s, s), (0.0, s), (s, 0.0))[kind]
    for corner, x, y in (
        ((d6 >= 0) & (d5 <= d6), 0.0, 1.0),
        ((d3 >= 0) & (d4 <= d3), 1.0, 0.0),
        ((d1 <= 0) & (d2 <= 0), 0.0, 0.0),
    ):
        at = np.flatnonzero(corner)
        v[at], w[at] = x, y
    # A triangle without area can leave no number: its first corner stands for it.
    good = np.isfinite(v) & np.isfinite(w)
    if not good.all():
        v, w = np.where(good, v, 0.0), np.where(good, w, 0.0)
    shares = np.stack([1 - v - w, v, w], axis=1)
    return t.a + v[:, None] * t.ab + w[:, None] * t.ac, shares


def _dot(a: F64, b: F64) -> F64:
    out: F64 = np.einsum("ij,ij->i", a, b)
    return out
