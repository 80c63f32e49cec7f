"""Normals and tangents taken through blended matrices."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.scene.arrays import frozen
from customs.scene.model import Primitive
from customs.scene.transforms import unit_rows

F32 = npt.NDArray[np.float32]


def still_normals(prim: Primitive, blend: npt.NDArray[np.float64]) -> tuple[F32 | None, F32 | None]:
    """(normals (V, 3), tangents (V, 4)) of `prim` through `blend` (V, 3, 3); None where there were none.

    Normals go through the cofactor matrix, which is the inverse transpose times the determinant and never divides.
    """
    normals = tangents = None
    if prim.normals is not None:
        a, b, c = blend[:, :, 0], blend[:, :, 1], blend[:, :, 2]
        cofactor = np.stack([np.cross(b, c), np.cross(c, a), np.cross(a, b)], axis=2)
        normals = frozen(unit_rows(np.einsum("vij,vj->vi", cofactor, prim.normals)))
    if prim.tangents is not None:
        out = np.empty(prim.tangents.shape, dtype=np.float32)
        out[:, :3] = unit_rows(np.einsum("vij,vj->vi", blend, prim.tangents[:, :3]))
        out[:, 3] = prim.tangents[:, 3]
        tangents = frozen(out)
    return normals, tangents
