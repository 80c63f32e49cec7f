"""Faces that are broken, doubled or the backs of others."""

from __future__ import annotations

from types import ModuleType
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import face_vectors
from customs.geometry.weld import groups_of_rows, unique_rows
from customs.kernels.store import kernel_for
from customs.tolerances import FLAT_FACE

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]
Mask = npt.NDArray[np.bool_]


def loops(positions: F32, faces: U32) -> ModuleType | None:
    """The compiled loops over faces (F, 3) where they are worth their start and can take these. Raises
    IndexError for a face with a vertex that is not there.
    """
    if not len(faces) or positions.dtype != np.float32:
        return None
    if int(faces.max()) >= len(positions):
        raise IndexError(f"a face with vertex {faces.max()} of {len(positions)}")
    return kernel_for("faces", len(faces) * 3)


def degenerate(positions: F32, faces: U32) -> Mask:
    """(F,) True for faces with two corners at one place or no area (share of the longest edge squared)."""
    compiled = loops(positions, faces)
    return flat_compiled(compiled, positions, faces) if compiled else flat_by_columns(positions, faces)


def flat_compiled(compiled: ModuleType, positions: F32, faces: U32) -> Mask:
    """`degenerate` by a kernel."""
    out = np.empty(len(faces), np.bool_)
    compiled.flat(np.ascontiguousarray(positions), np.ascontiguousarray(faces), FLAT_FACE, out)
    return out


def flat_by_columns(positions: F32, faces: U32) -> Mask:
    """`degenerate` in numpy."""
    p = positions.astype(np.float64)
    with np.errstate(invalid="ignore", over="ignore"):
        a, b, c = (p[faces[:, k]].T for k in range(3))
        double = lengths(face_vectors(p, faces).astype(np.float64, copy=False))
        edges = [d[0] * d[0] + d[1] * d[1] + d[2] * d[2] for d in (b - a, c - b, c - a)]
        longest = np.maximum(np.maximum(edges[0], edges[1]), edges[2])
        return (double <= FLAT_FACE * longest) | ~np.isfinite(double)


def lengths(vectors: F64) -> F64:
    """(N,) lengths of `vectors` (N, 3), summed up in the order of their parts, as a loop would."""
    x, y, z = vectors[:, 0], vectors[:, 1], vectors[:, 2]
    out: F64 = np.sqrt(x * x + y * y + z * z)
    return out


class Repeats(NamedTuple):
    """`doubled` (F,): repeats of an earlier face, with the same three places in the same winding. `backs` (F,):
    faces that have another at the same places in the opposite winding (two-sided modelling), and no repeats.
    """

    doubled: Mask
    backs: Mask


def repeats(positions: F32, faces: U32) -> Repeats:
    """Faces (F, 3) that stand where others do. One with two corners at one place has no winding."""
    place, compiled = groups_of_rows(positions)[faces], loops(positions, faces)
    return repeats_compiled(compiled, place) if compiled else repeats_by_rows(place)


def repeats_compiled(compiled: ModuleType, place: U32) -> Repeats:
    """`repeats` of faces (F, 3) by the numbers of their places, which are dense, by a kernel."""
    n, doubled, backs = len(place), np.empty(len(place), np.bool_), np.empty(len(place), np.bool_)
    starts = np.zeros(int(place.max(initial=0)) + 3, np.int64)
    compiled.repeats(
        np.ascontiguousarray(place), starts, np.empty(n, np.int32), np.empty(n, np.uint64), doubled, backs
    )
    return Repeats(doubled, backs)


def repeats_by_rows(place: U32) -> Repeats:
    """`repeats_compiled` in numpy: a face is its places in order, and which way round it runs."""
    ordered = np.sort(place, axis=1)
    flat = (ordered[:, 1:] == ordered[:, :-1]).any(axis=1)
    way = winding(place) & ~flat
    doubled = np.ones(len(place), dtype=bool)
    doubled[unique_rows([ordered, way.astype(np.uint32)[:, None]])[0]] = False
    group = unique_rows([ordered])[1]
    count = int(group.max(initial=0)) + 1
    seen = [np.bincount(group[way == w], minlength=count) > 0 for w in (False, True)]
    return Repeats(doubled, (seen[0] & seen[1])[group])


def doubled(positions: F32, faces: U32) -> Mask:
    """(F,) True for every repeat of a face; the first of its kind stays False."""
    return repeats(positions, faces).doubled


def winding(place: U32) -> Mask:
    """(F,) True where the three numbers of a face run upward, wherever it starts: its orientation among its
    own places.
    """
    a, b, c = place[:, 0], place[:, 1], place[:, 2]
    rising: Mask = ((a < b).astype(np.int8) + (b < c) + (c < a)) == 2
    return rising
