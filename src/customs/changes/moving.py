"""Meshes and primitives through a matrix."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.conventions.convert import reversed_faces
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, MorphTarget, Primitive
from customs.scene.transforms import apply_affine, unit_rows

F64 = npt.NDArray[np.float64]


def moved_mesh(mesh: Mesh, m: F64) -> Mesh:
    """A mesh through `m` (4, 4)."""
    return replace(mesh, primitives=tuple(moved_primitive(p, m) for p in mesh.primitives))


def moved_primitive(prim: Primitive, m: F64) -> Primitive:
    """A primitive through `m` (4, 4): normals by the cofactor matrix; a mirror turns faces over and flips
    w.
    """
    if np.array_equal(m, np.eye(4)):
        return prim
    linear = m[:3, :3]
    det = np.linalg.det(linear)
    cofactor = np.stack([np.cross(linear[:, (k + 1) % 3], linear[:, (k + 2) % 3]) for k in range(3)], axis=1)
    straight = np.eye(4)
    straight[:3, :3] = linear
    turn = np.eye(4)
    turn[:3, :3] = cofactor * (1 if det > 0 else -1)
    tangents = None
    if prim.tangents is not None:
        out = np.empty(prim.tangents.shape, dtype=np.float32)
        out[:, :3] = unit_rows(apply_affine(straight, prim.tangents[:, :3]))
        out[:, 3] = prim.tangents[:, 3] * (1 if det > 0 else -1)
        tangents = frozen(out)
    targets = tuple(
        MorphTarget(
            None if t.positions is None else frozen(apply_affine(straight, t.positions)),
            None if t.normals is None else frozen(apply_affine(turn, t.normals)),
            None if t.tangents is None else frozen(apply_affine(straight, t.tangents)),
        )
        for t in prim.targets
    )
    new = replace(
        prim,
        positions=frozen(apply_affine(m, prim.positions)),
        normals=None if prim.normals is None else frozen(unit_rows(apply_affine(turn, prim.normals))),
        tangents=tangents,
        targets=targets,
    )
    return reversed_faces(new) if det < 0 else new
