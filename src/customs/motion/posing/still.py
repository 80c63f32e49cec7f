"""Normals and tangents taken through blended matrices."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.scene.arrays import frozen
from customs.scene.model import MorphTarget, Primitive
from customs.scene.transforms import unit_rows

F32 = npt.NDArray[np.float32]


def still_normals(prim: Primitive, blend: npt.NDArray[np.float64]) -> tuple[F32 | None, F32 | None]:
    """(normals (V, 3), tangents (V, 4)) of `prim` through `blend` (V, 3, 3); None where there were none.

    Normals go through the cofactor matrix, which is the inverse transpose times the determinant and never
    divides.
    """
    normals = tangents = None
    if prim.normals is not None:
        normals = frozen(unit_rows(np.einsum("vij,vj->vi", _cofactor(blend), prim.normals)))
    if prim.tangents is not None:
        out = np.empty(prim.tangents.shape, dtype=np.float32)
        out[:, :3] = unit_rows(np.einsum("vij,vj->vi", blend, prim.tangents[:, :3]))
        out[:, 3] = prim.tangents[:, 3]
        tangents = frozen(out)
    return normals, tangents


def still_target(target: MorphTarget, blend: npt.NDArray[np.float64]) -> MorphTarget:
    """Offsets of a morph target through `blend` (V, 3, 3): they are added before a skin turns them, so they
    turn with it.

    Offsets of normals keep the length they have beside a normal of length one only where the blend does not
    scale.
    """

    def through(m: npt.NDArray[np.float64], rows: F32 | None) -> F32 | None:
        return None if rows is None else frozen(np.einsum("vij,vj->vi", m, rows))

    size = np.cbrt(np.abs(np.linalg.det(blend)))[:, None, None]
    turn = blend / np.where(size > 1e-12, size, 1.0)
    return MorphTarget(
        through(blend, target.positions),
        through(_cofactor(turn), target.normals),
        through(turn, target.tangents),
    )


def _cofactor(m: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    a, b, c = m[:, :, 0], m[:, :, 1], m[:, :, 2]
    return np.stack([np.cross(b, c), np.cross(c, a), np.cross(a, b)], axis=2)
