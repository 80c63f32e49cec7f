"""Vertex normals: a sort-free scatter of face vectors to vertices."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import sparse

from customs.geometry.triangles import face_vectors
from customs.geometry.weld import groups_of_rows
from customs.scene.transforms import unit_rows

F32 = npt.NDArray[np.float32]
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
    place = groups_of_rows(positions)[faces.reshape(-1)]
    order = np.argsort(place, kind="stable")
    sorted_place = place[order]
    starts = np.flatnonzero(np.r_[True, sorted_place[1:] != sorted_place[:-1]])
    sizes = np.diff(np.r_[starts, len(order)])
    own = order // 3
    out = np.zeros((len(order), 3))
    limit = np.cos(np.radians(angle)) - 1e-6
    # Round k compares every corner with the k-th other corner of its place: as many rounds as the fullest
    # place.
    position = np.arange(len(order)) - np.repeat(starts, sizes)
    size_of = np.repeat(sizes, sizes)
    start_of = np.repeat(starts, sizes)
    alive = np.arange(len(order))
    for k in range(int(sizes.max(initial=0))):
        alive = alive[size_of[alive] > k]
        other = own[start_of[alive] + (position[alive] + k) % size_of[alive]]
        mine = own[alive]
        near = np.einsum("ij,ij->i", units[mine], units[other]) >= limit
        near |= mine == other
        if groups is not None:
            near &= ((groups[mine] == groups[other]) & (groups[mine] != 0)) | (mine == other)
        out[alive[near]] += vectors[other[near]]
    result = np.empty_like(out)
    result[order] = out
    return unit_rows(result).reshape(-1, 3, 3)
