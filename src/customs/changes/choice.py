"""Chosen faces, kept so that they are found again: by number while the faces stand as they stood, else by place."""

from __future__ import annotations

import hashlib
import struct
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import triangles_of
from customs.later import later
from customs.scene.arrays import finite_rows
from customs.scene.model import Primitive
from customs.scene.selection import PREFIX, ranges_of_rows, rows_in

spatial = later("scipy.spatial")
MAGIC = b"FACE0001"
HEAD = struct.Struct("<8sII16s6f")
NEAR = 1e-4
"""How far a face may have gone to be the same one, as a share of the primitive's extent: what rounding leaves."""
Rows = npt.NDArray[np.intp]


def packed_faces(prim: Primitive, rows: Any) -> tuple[str, bytes]:
    """(name, bytes) of the faces `rows` (ascending) of a primitive: their numbers, what all its faces are told by, and
    their centres (float32) in the primitive's own numbers with the box all of it lay in.
    """
    faces, rows = triangles_of(prim), np.unique(np.asarray(rows, dtype=np.int64))
    ranges = np.asarray(ranges_of_rows(rows), dtype=np.int64).reshape(-1, 2)
    head = HEAD.pack(MAGIC, len(ranges), len(rows), _told(faces), *_box(prim.positions).reshape(-1))
    body = head + ranges.astype("<u4").tobytes() + _centres(prim, faces[rows]).astype("<f4").tobytes()
    return PREFIX + hashlib.sha256(body).hexdigest()[:32], body


def faces_in(body: bytes, prim: Primitive) -> tuple[Rows, int]:
    """(numbers of the faces meant, how many no longer answer). Raises ValueError for bytes that are no choice."""
    if len(body) < HEAD.size:
        raise ValueError(f"{len(body)} bytes are no choice of faces")
    magic, runs, count, told, *box = HEAD.unpack_from(body)
    if magic != MAGIC or len(body) != HEAD.size + 8 * runs + 12 * count:
        raise ValueError("bytes that are no choice of faces")
    ranges = np.frombuffer(body, "<u4", 2 * runs, HEAD.size).reshape(-1, 2).astype(np.int64)
    faces = triangles_of(prim)
    if (ranges[:, 0] > ranges[:, 1]).any():
        raise ValueError("a range that ends before it begins")
    if told == _told(faces):
        return rows_in(ranges, len(faces)), 0
    centres = np.frombuffer(body, "<f4", 3 * count, HEAD.size + 8 * runs).reshape(-1, 3)
    found = _by_place(prim, faces, centres.astype(np.float64))
    if found[1] * 2 <= count:
        return found
    # Moved or scaled as a whole besides: the same places in the box it lies in now.
    was, now = np.array(box, np.float64).reshape(2, 3), _box(prim.positions)
    share = np.ptp(now, axis=0) / np.where(np.ptp(was, axis=0) > 0, np.ptp(was, axis=0), 1.0)
    other = _by_place(prim, faces, (centres - was[0]) * share + now[0])
    return other if other[1] < found[1] else found


def _box(positions: npt.NDArray[np.float32]) -> npt.NDArray[np.float64]:
    """(2, 3) the corners of the box of finite positions, zeros without any."""
    good = positions[finite_rows(positions)]
    return (
        np.stack([good.min(axis=0), good.max(axis=0)]).astype(np.float64) if len(good) else np.zeros((2, 3))
    )


def _by_place(
    prim: Primitive, faces: npt.NDArray[np.uint32], centres: npt.NDArray[np.float64]
) -> tuple[Rows, int]:
    if not len(faces) or not len(centres):
        return np.zeros(0, np.intp), len(centres)
    size = float(np.ptp(_box(prim.positions), axis=0).max())
    there = _centres(prim, faces)
    good = np.flatnonzero(finite_rows(there))
    if not len(good):
        return np.zeros(0, np.intp), len(centres)
    asked = np.where(np.isfinite(centres), centres, 1e30)
    off, nearest = spatial.cKDTree(there[good]).query(asked, distance_upper_bound=max(NEAR * size, 1e-30))
    found = good[nearest[np.isfinite(off)]]
    return np.unique(found).astype(np.intp), int((~np.isfinite(off)).sum())


def _centres(prim: Primitive, faces: npt.NDArray[np.uint32]) -> npt.NDArray[np.float64]:
    return sum(prim.positions[faces[:, k]].astype(np.float64) for k in range(3)) / 3  # type: ignore[return-value]


def _told(faces: npt.NDArray[np.uint32]) -> bytes:
    return hashlib.sha256(np.ascontiguousarray(faces, "<u4").tobytes()).digest()[:16]
