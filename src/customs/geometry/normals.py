"""Vertex normals: a sort-free scatter of face vectors to vertices."""

from __future__ import annotations

from types import ModuleType
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import face_vectors
from customs.geometry.weld import groups_of_rows
from customs.kernels.cores import cuts, on_cores
from customs.kernels.store import kernel_for
from customs.later import later
from customs.scene.transforms import unit_rows

sparse = later("scipy.sparse")
F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]


LENGTH = 0.01
"""How far the square of a length may be from one."""


def off_length(rows: F32) -> npt.NDArray[np.bool_]:
    """(N,) which of `rows` (N, 3) are not about one long; numbers that are not finite among them."""
    return ~(np.abs(np.einsum("ij,ij->i", rows, rows) - 1) < LENGTH)


def scatter(faces: U32, values: npt.NDArray[Any], count: int) -> npt.NDArray[Any]:
    """Sum `values` (F, D) of faces onto their three vertices, (count, D).

    The faces are a CSC matrix as they stand (pointers 0, 3, 6 …): nothing is sorted, and sums run in face
    order.
    """
    n = len(faces)
    pointers = np.arange(0, 3 * n + 1, 3, dtype=np.int32)
    ones = np.ones(3 * n, dtype=values.dtype)
    matrix = sparse.csc_matrix(
        (ones, faces.reshape(-1).view(np.int32), pointers), shape=(count, n), copy=False
    )
    matrix.has_canonical_format = True
    return matrix @ values


def smooth_normals(positions: F32, faces: U32) -> F32:
    """Area-weighted vertex normals (V, 3), unit length, zero where no face is. Vertices apart stay apart."""
    return unit_rows(scatter(np.ascontiguousarray(faces), face_vectors(positions, faces), len(positions)))


def corner_normals(positions: F32, faces: U32, angle: float, groups: U32 | None = None) -> F32:
    """Normals per corner (F, 3, 3) float32: faces at one place are smoothed together when within `angle`
    degrees.

    Each corner's normal is the area-weighted sum over the faces at its place whose direction lies within
    `angle` of the face's own (common practice in the trade). `groups` (F,) uint32 are smoothing groups: two
    faces must be in the same one, and it must not be 0.
    """
    vectors = face_vectors(positions, faces).astype(np.float64)
    length = np.linalg.norm(vectors, axis=1)
    units = vectors / np.where(length > 0, length, 1)[:, None]
    corners = Corners(groups_of_rows(positions)[faces.reshape(-1)], units, vectors, groups)
    limit = float(np.cos(np.radians(angle)) - 1e-6)
    compiled = kernel_for("smooth", len(faces) * 3)
    summed = (
        sums_compiled(compiled, corners, limit) if compiled is not None else sums_by_rounds(corners, limit)
    )
    return unit_rows(summed).reshape(-1, 3, 3)


class Corners(NamedTuple):
    """Corners by the numbers of their places `place` (C,), with directions (F, 3) and twice-area vectors (F, 3)
    of their faces, and smoothing groups (F,) or None.
    """

    place: U32
    units: F64
    vectors: F64
    groups: U32 | None


def sums_compiled(compiled: ModuleType, corners: Corners, limit: float) -> F64:
    """Sums (C, 3) of the vectors of faces at each corner's place within the cosine `limit`, by a kernel, on
    all cores.
    """
    place, units, vectors, groups = corners
    places = int(place.max(initial=0)) + 1
    starts, order = np.zeros(places + 1, np.int64), np.empty(len(place), np.int32)
    compiled.by_place(place, starts, order)
    out = np.empty((len(place), 3))
    wanted = np.zeros(0, np.uint32) if groups is None else np.ascontiguousarray(groups, np.uint32)

    def part(ends: tuple[int, int]) -> None:
        compiled.summed(starts, order, units, vectors, wanted, limit, *ends, out)

    on_cores(part, cuts(places))
    return out


def sums_by_rounds(corners: Corners, limit: float) -> F64:
    """`sums_compiled` in numpy. Round k compares every corner with the k-th other corner of its place: as many
    rounds as the fullest place.
    """
    place, units, vectors, groups = corners
    order = np.argsort(place, kind="stable")
    sorted_place = place[order]
    starts = np.flatnonzero(np.r_[True, sorted_place[1:] != sorted_place[:-1]]) if len(place) else order
    sizes = np.diff(np.r_[starts, len(order)])
    own = order // 3
    out = np.zeros((len(order), 3))
    position = np.arange(len(order)) - np.repeat(starts, sizes)
    size_of = np.repeat(sizes, sizes)
    start_of = np.repeat(starts, sizes)
    alive = np.arange(len(order))
    for k in range(int(sizes.max(initial=0))):
        alive = alive[size_of[alive] > k]
        other = own[start_of[alive] + (position[alive] + k) % size_of[alive]]
        mine = own[alive]
        a, b = units[mine], units[other]
        near = a[:, 0] * b[:, 0] + a[:, 1] * b[:, 1] + a[:, 2] * b[:, 2] >= limit
        if groups is not None:
            near &= (groups[mine] == groups[other]) & (groups[mine] != 0)
        near |= mine == other
        out[alive[near]] += vectors[other[near]]
    result = np.empty_like(out)
    result[order] = out
    return result
