"""Convex solids from their planes: every face is a wide square cut by all other planes of its solid, many solids side by side."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.arrays import runs

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
WIDE = 1e7
"""Half the side of the square a face is cut from; what still reaches it is unbounded."""
MOST_PLANES = 1024
ON = 1e-10
"""How far from a plane, by the size of the numbers, a corner still lies on it (numbers up to 1e7 are cut to within 2e-9)."""
FINE, UNBOUNDED, EMPTY, FEW, MANY, DOUBLED = range(6)
PROBLEMS = (
    "",
    "open on a side: planes are missing",
    "holds no space: its planes leave nothing",
    "fewer than four planes",
    f"more than {MOST_PLANES:,} planes",
    "several planes in one place",
)
"""What each code of a solid means."""


@dataclass(frozen=True, eq=False)
class Solids:
    """Faces of many solids: `points` (V, 3) one after another, counter-clockwise from outside; `sizes` (F,) corners of each face and
    `plane` (F,) the plane it lies in; `problems` (B,) codes of the solids (PROBLEMS); those with one but DOUBLED have no faces.
    """

    points: F64
    sizes: Ints
    plane: Ints
    problems: Ints


def solids(planes: F64, starts: Ints) -> Solids:
    """Solids of planes (P, 4): n·x ≤ d with unit n outward; solid b has planes `starts[b]` to `starts[b + 1]` (B + 1,).

    Corners are the exact meetings of three planes, worked out in one order, so that the faces around a corner share its very numbers.
    """
    counts = np.diff(starts)
    problems = np.where(counts < 4, FEW, np.where(counts > MOST_PLANES, MANY, FINE)).astype(np.intp)
    repeated = _repeated(planes, np.repeat(np.arange(len(counts)), counts))
    twice = np.unique(np.repeat(np.arange(len(counts)), counts)[repeated])
    problems[twice[problems[twice] == FINE]] = DOUBLED
    good = np.isin(problems, (FINE, DOUBLED))
    found: list[tuple[Ints, F64, Ints]] = []
    # Solids of about as many planes are cut together.
    bounds = [6, 8, 12, 24, 96, MOST_PLANES]
    for least, most in zip([0, *bounds], bounds):
        these = np.flatnonzero(good & (counts > least) & (counts <= most))
        # What is cut at once stays within some hundred megabytes.
        for part in np.array_split(these, max(1, int((counts[these] ** 2).sum() // 2_000_000))):
            if len(part):
                found.append(_cut(planes, starts, part, repeated))
    return _gathered(found, planes, starts, problems)


def _repeated(planes: F64, of: Ints) -> npt.NDArray[np.bool_]:
    """(P,) planes that an earlier one of the same solid says already."""
    if not len(planes):
        return np.zeros(0, bool)
    size = np.maximum(np.abs(planes[:, 3:]), 1.0)
    rows = (
        np.concatenate([of[:, None], np.round(planes[:, :3], 7), np.round(planes[:, 3:] / size, 9)], axis=1)
        + 0.0
    )
    _, first = np.unique(rows, axis=0, return_index=True)
    out = np.ones(len(planes), bool)
    out[first] = False
    return out


def _cut(planes: F64, starts: Ints, which: Ints, repeated: npt.NDArray[np.bool_]) -> tuple[Ints, F64, Ints]:
    """Faces of solids `which`: (planes (F,), corners (F, K, 3), corners of each (F,))."""
    counts = np.diff(starts)[which]
    own = np.concatenate([np.arange(starts[b], starts[b + 1]) for b in which])
    first = np.repeat(starts[which], counts)
    many = np.repeat(counts, counts)
    keep = ~repeated[own]
    own, first, many = own[keep], first[keep], many[keep]
    corners, edges, sizes = _squares(planes[own])
    for k in range(int(counts.max())):
        other = first + k
        rows = np.flatnonzero((k < many) & (sizes > 0))
        rows = rows[(other[rows] != own[rows]) & ~repeated[other[rows]]]
        if len(rows):
            corners, edges = clip(corners, edges, sizes, rows, planes[other[rows]], other[rows])
    return (
        own,
        _exact(planes, own, corners, edges, sizes),
        np.where((edges < 0).any(axis=1) & (sizes > 0), -sizes, sizes),
    )


def _squares(planes: F64) -> tuple[F64, Ints, Ints]:
    """A wide square in each plane (F, 4): corners (F, 4, 3), the planes of their edges (−1: none), sizes (F,)."""
    n = planes[:, :3]
    side = np.eye(3)[np.argmin(np.abs(n), axis=1)]
    u = np.cross(side, n)
    u /= np.maximum(np.linalg.norm(u, axis=1, keepdims=True), 1e-30)
    v = np.cross(n, u)
    around = np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]]) * WIDE
    corners = (
        (n * planes[:, 3:])[:, None] + around[None, :, :1] * u[:, None] + around[None, :, 1:] * v[:, None]
    )
    return corners, np.full((len(n), 4), -1, np.intp), np.full(len(n), 4, np.intp)


def clip(corners: F64, edges: Ints, sizes: Ints, rows: Ints, by: F64, number: Ints) -> tuple[F64, Ints]:
    """Convex faces `rows` (R,) among corners (F, K, 3) of `sizes` (F,), cut by a plane each (R, 4), whose `number` new edges get; `sizes`
    is changed in place.
    """
    p, e, n = corners[rows], edges[rows], sizes[rows]
    k = p.shape[1]
    there = np.arange(k)[None] < n[:, None]
    far = np.einsum("fkj,fj->fk", p, by[:, :3]) - by[:, 3:]
    reach = np.maximum(
        np.abs(by[:, 3:]), np.where(np.abs(p) < WIDE / 2, np.abs(p), 0).max(axis=(1, 2))[:, None]
    )
    far = np.where(np.abs(far) <= ON * np.maximum(reach, 64.0), 0.0, far)
    following = np.where(np.arange(k)[None] + 1 < n[:, None], np.arange(k)[None] + 1, 0)
    after = np.take_along_axis(far, following, 1)
    inside = there & (far <= 0)
    crossing = there & (((far < 0) & (after > 0)) | ((far > 0) & (after < 0)))
    if not (there & ~inside).any():
        return corners, edges
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(crossing, far / (far - after), 0.0)
    p_next = np.take_along_axis(p, following[..., None], 1)
    met = p + share[..., None] * (p_next - p)
    # A corner that stays keeps its edge, unless it lies on the plane and the edge leaves: then the new edge begins there.
    leaving = inside & (far == 0) & (after > 0)
    out_p = np.stack([p, met], axis=2).reshape(len(rows), 2 * k, 3)
    cut_edge = np.where(far < 0, number[:, None], e)
    out_e = np.stack([np.where(leaving, number[:, None], e), cut_edge], axis=2).reshape(len(rows), 2 * k)
    stays = np.stack([inside, crossing], axis=2).reshape(len(rows), 2 * k)
    order = np.argsort(~stays, axis=1, kind="stable")
    count = stays.sum(axis=1)
    count = np.where(count < 3, 0, count)
    most = max(int(count.max(initial=0)), k)
    order = order[:, :most]
    if most > k:
        corners = np.pad(corners, ((0, 0), (0, most - k), (0, 0)))
        edges = np.pad(edges, ((0, 0), (0, most - k)))
    corners[rows] = np.take_along_axis(out_p, order[..., None], 1)
    edges[rows] = np.where(np.arange(most)[None] < count[:, None], np.take_along_axis(out_e, order, 1), 0)
    sizes[rows] = count
    return corners, edges


def _exact(planes: F64, own: Ints, corners: F64, edges: Ints, sizes: Ints) -> F64:
    """Corners (F, K, 3) as the meeting of their face's plane and those of the edges on both sides (Cramer's rule)."""
    k = corners.shape[1]
    there = (np.arange(k)[None] < sizes[:, None]) & (edges >= 0)
    before = np.take_along_axis(
        edges, np.where(np.arange(k)[None] > 0, np.arange(k)[None] - 1, np.maximum(sizes[:, None] - 1, 0)), 1
    )
    at = np.nonzero(there & (before >= 0))
    three = np.sort(
        np.stack([np.broadcast_to(own[:, None], edges.shape)[at], edges[at], before[at]], axis=1), axis=1
    )
    a, b, c = (planes[three[:, j]] for j in range(3))
    bc, ca, ab = (np.cross(x[:, :3], y[:, :3]) for x, y in ((b, c), (c, a), (a, b)))
    whole = np.einsum("ij,ij->i", a[:, :3], bc)
    with np.errstate(divide="ignore", invalid="ignore"):
        meet = (a[:, 3:] * bc + b[:, 3:] * ca + c[:, 3:] * ab) / whole[:, None]
    # Planes that hardly cross say less of the place than the cuts did.
    sure = (np.abs(whole) > 1e-6) & (
        np.abs(meet - corners[at]).max(axis=1) < 1e-3 * np.maximum(np.abs(corners[at]).max(axis=1), 1.0)
    )
    out = corners.copy()
    out[at[0][sure], at[1][sure]] = meet[sure]
    return out


def _gathered(found: list[tuple[Ints, F64, Ints]], planes: F64, starts: Ints, problems: Ints) -> Solids:
    """All faces in the order of their planes, without those of solids that are none."""
    if not found:
        return Solids(np.zeros((0, 3)), np.zeros(0, np.intp), np.zeros(0, np.intp), problems)
    plane = np.concatenate([f[0] for f in found])
    signed = np.concatenate([f[2] for f in found])
    solid = np.searchsorted(starts, plane, side="right") - 1
    faces = np.bincount(solid[signed != 0], minlength=len(problems))
    tried = np.isin(problems, (FINE, DOUBLED))
    problems[tried & (faces < 4)] = EMPTY
    problems[np.unique(solid[signed < 0])] = UNBOUNDED
    shown = np.isin(problems, (FINE, DOUBLED))
    points: list[Any] = []
    for p, corners, sizes in found:
        mine = (sizes > 0) & shown[np.searchsorted(starts, p, side="right") - 1]
        points.append(corners[mine][np.arange(corners.shape[1])[None] < sizes[mine][:, None]])
    keep = (signed > 0) & shown[solid]
    plane, sizes = plane[keep], signed[keep]
    order = np.argsort(plane, kind="stable")
    flat = np.concatenate(points)
    begins = np.cumsum(sizes) - sizes
    rows = runs(begins[order], sizes[order])
    return Solids(flat[rows], sizes[order], plane[order], problems)
