"""Triangles of any primitive mode, and measures of them."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.model import Primitive

U32 = npt.NDArray[np.uint32]
F32 = npt.NDArray[np.float32]
TRIANGLE_MODES = ("triangles", "triangle_strip", "triangle_fan", "polygons")
NONE = np.zeros((0, 3), dtype=np.uint32)


def flat_indices(prim: Primitive) -> U32:
    """The primitive's indices, or 0..V-1 when it has none. (N,) uint32."""
    if prim.indices is not None:
        return prim.indices
    return np.arange(len(prim.positions), dtype=np.uint32)


def strip_triangles(indices: U32) -> U32:
    """Triangles (F, 3) of a strip; odd ones are turned so all wind alike (glTF 2.0, 3.7.2.1)."""
    n = len(indices) - 2
    if n < 1:
        return NONE
    i = np.arange(n)
    odd = i & 1
    return np.stack([indices[i], indices[i + 1 + odd], indices[i + 2 - odd]], axis=1)


def fan_triangles(indices: U32) -> U32:
    """Triangles (F, 3) of a fan, in the corner order of glTF 2.0, 3.7.2.1."""
    n = len(indices) - 2
    if n < 1:
        return NONE
    i = np.arange(n)
    return np.stack([indices[i + 1], indices[i + 2], np.full(n, indices[0], dtype=np.uint32)], axis=1)


def triangles_of(prim: Primitive) -> U32:
    """All triangles (F, 3) uint32 of a primitive; (0, 3) for points and lines."""
    if prim.mode == "polygons":
        assert prim.triangulation is not None
        return prim.triangulation
    if prim.mode not in TRIANGLE_MODES:
        return NONE
    flat = flat_indices(prim)
    if prim.mode == "triangle_strip":
        return strip_triangles(flat)
    if prim.mode == "triangle_fan":
        return fan_triangles(flat)
    return flat[: len(flat) // 3 * 3].reshape(-1, 3)


def face_vectors(positions: npt.NDArray[Any], faces: U32) -> F32:
    """Twice-area vectors (F, 3): cross product of two edges; direction is the side a ccw front face looks
    to.
    """
    a = positions.take(faces[:, 0], axis=0)
    ab = positions.take(faces[:, 1], axis=0)
    ab -= a
    ac = positions.take(faces[:, 2], axis=0)
    ac -= a
    out = np.empty_like(ab)
    ab0, ab1, ab2 = ab[:, 0], ab[:, 1], ab[:, 2]
    ac0, ac1, ac2 = ac[:, 0], ac[:, 1], ac[:, 2]
    np.multiply(ab1, ac2, out=out[:, 0])
    out[:, 0] -= ab2 * ac1
    np.multiply(ab2, ac0, out=out[:, 1])
    out[:, 1] -= ab0 * ac2
    np.multiply(ab0, ac1, out=out[:, 2])
    out[:, 2] -= ab1 * ac0
    return out


def corner_normals(corners: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """(N, 3) unit normals of triangles (N, 3, 3) in double precision, 0 for those without area."""
    vectors = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-30))


def signed_volume(positions: npt.NDArray[Any], faces: U32) -> float:
    """Volume enclosed (units³), positive when ccw faces look outward: a sixth of the sum of a · (b × c).

    Source: Gauss's theorem over tetrahedra to the origin; taken about the mean point to keep rounding small.
    """
    if not len(faces):
        return 0.0
    p = positions.astype(np.float64)
    p = p - p[faces.reshape(-1)].mean(axis=0)
    a, b, c = p[faces[:, 0]], p[faces[:, 1]], p[faces[:, 2]]
    return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6)


def area(positions: npt.NDArray[Any], faces: U32) -> float:
    """Total area (units²)."""
    return float(np.linalg.norm(face_vectors(positions, faces).astype(np.float64), axis=1).sum() / 2)
