"""Tangents from positions, normals and texture coordinates."""

from __future__ import annotations

from types import ModuleType

import numpy as np
import numpy.typing as npt

from customs.geometry.normals import scatter
from customs.kernels.store import kernel_for
from customs.scene.transforms import unit_rows

F32 = npt.NDArray[np.float32]
U32 = npt.NDArray[np.uint32]


def face_tangents(positions: F32, uvs: F32, faces: U32) -> tuple[F32, npt.NDArray[np.float32]]:
    """Direction of growing U per face (F, 3), and the sign (F,) of the UV area with V up: +1 unmirrored.

    Source: E. Lengyel, "Computing tangent space basis vectors for an arbitrary mesh" (2001); V counts as 1 −
    v, since glTF's V points down while its tangent frame expects it up.
    """
    a = faces[:, 0]
    e1 = positions.take(faces[:, 1], axis=0) - positions.take(a, axis=0)
    e2 = positions.take(faces[:, 2], axis=0) - positions.take(a, axis=0)
    d1 = uvs.take(faces[:, 1], axis=0) - uvs.take(a, axis=0)
    d2 = uvs.take(faces[:, 2], axis=0) - uvs.take(a, axis=0)
    t1, t2 = -d1[:, 1], -d2[:, 1]
    determinant = d1[:, 0] * t2 - d2[:, 0] * t1
    sign = np.sign(determinant)
    # Not divided by the determinant: its sign alone keeps the direction, and long thin UV triangles stay
    # finite.
    tangent = (e1 * t2[:, None] - e2 * t1[:, None]) * sign[:, None]
    return tangent.astype(np.float32), sign.astype(np.float32)


def mirrored_vertices(sign: npt.NDArray[np.float32], faces: U32, count: int) -> npt.NDArray[np.bool_]:
    """(count,) True for vertices that faces of both UV directions use: they must be split before tangents are
    made.
    """
    used = np.zeros((2, count), dtype=bool)
    used[0][faces[sign > 0].reshape(-1)] = True
    used[1][faces[sign < 0].reshape(-1)] = True
    return used[0] & used[1]


def sums_by_columns(positions: F32, uvs: F32, faces: U32) -> F32:
    """(V, 4): of the faces at each vertex, unit directions of growing U by twice their area, as the normals
    are weighted, and their signs by the same.
    """
    tangent, sign = face_tangents(positions, uvs, faces)
    e1 = positions.take(faces[:, 1], axis=0) - positions.take(faces[:, 0], axis=0)
    e2 = positions.take(faces[:, 2], axis=0) - positions.take(faces[:, 0], axis=0)
    weight = np.linalg.norm(np.cross(e1, e2), axis=1).astype(np.float32)
    packed = np.empty((len(faces), 4), dtype=np.float32)
    packed[:, :3] = unit_rows(tangent) * weight[:, None]
    packed[:, 3] = sign * weight
    return scatter(faces, packed, len(positions))


def sums_compiled(compiled: ModuleType, positions: F32, uvs: F32, faces: U32) -> F32 | None:
    """The same by the kernel `tangents`; None where a face names a vertex that is not there."""
    if len(faces) and int(faces.max()) >= len(positions):
        return None
    out = np.zeros((len(positions), 4), np.float32)
    as_they_are = np.ascontiguousarray(positions, np.float32), np.ascontiguousarray(uvs, np.float32)
    compiled.summed(*as_they_are, np.ascontiguousarray(faces, np.uint32), out)
    return out


def vertex_tangents(positions: F32, normals: F32, uvs: F32, faces: U32) -> F32:
    """Tangents (V, 4) float32: unit, orthogonal to the normal, w = +1 where the patch is unmirrored with V
    up.
    """
    faces = np.ascontiguousarray(faces)
    compiled = kernel_for("tangents", len(faces))
    summed = sums_compiled(compiled, positions, uvs, faces) if compiled is not None else None
    if summed is None:
        summed = sums_by_columns(positions, uvs, faces)
    direction = summed[:, :3] - normals * np.einsum("ij,ij->i", summed[:, :3], normals)[:, None]
    bad = np.einsum("ij,ij->i", direction, direction) < 1e-20
    if bad.any():
        direction[bad] = any_perpendicular(normals[bad])
    out = np.empty((len(positions), 4), dtype=np.float32)
    out[:, :3] = unit_rows(direction)
    out[:, 3] = np.where(summed[:, 3] < 0, -1, 1)
    return out


def any_perpendicular(normals: F32) -> F32:
    """A unit vector (N, 3) at right angles to each of `normals` (N, 3): away from its largest component."""
    axis = np.zeros_like(normals)
    axis[np.arange(len(normals)), np.abs(normals).argmin(axis=1)] = 1
    return unit_rows(np.cross(normals, axis))
