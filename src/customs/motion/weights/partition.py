"""Splitting meshes whose faces need more joints than a destination takes at once."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import triangles_of
from customs.scene.model import Primitive


def joints_used(prim: Primitive) -> npt.NDArray[np.intp]:
    """Joints that move any vertex of a primitive, ascending."""
    if prim.joints is None or prim.weights is None:
        return np.zeros(0, dtype=np.intp)
    return np.unique(prim.joints[prim.weights > 0]).astype(np.intp)


def parts_by_joints(prim: Primitive, most: int) -> npt.NDArray[np.intp]:
    """(F,) the part each face goes to, so that no part needs more than `most` joints.

    Faces that need the same joints stay together. Greedy: the set with most joints starts or joins the part
    it adds fewest new joints to. Raises ValueError when one face alone needs more than `most`.
    """
    faces = triangles_of(prim)
    assert prim.joints is not None and prim.weights is not None
    used = joints_used(prim)
    at = np.zeros(int(prim.joints.max()) + 1, dtype=np.intp)
    at[used] = np.arange(len(used))
    needs = np.zeros((len(prim.positions), len(used)), dtype=bool)
    rows, slots = np.nonzero(prim.weights > 0)
    needs[rows, at[prim.joints[rows, slots]]] = True
    packed = np.packbits(needs[faces].any(axis=1), axis=1)
    sets, owner = np.unique(packed, axis=0, return_inverse=True)
    table = np.unpackbits(sets, axis=1)[:, : len(used)].astype(bool)
    sizes = table.sum(axis=1)
    if len(sizes) and int(sizes.max()) > most:
        raise ValueError(f"one face alone is moved by {int(sizes.max())} joints")
    parts: list[npt.NDArray[np.bool_]] = []
    goes = np.zeros(len(table), dtype=np.intp)
    for k in np.argsort(-sizes, kind="stable"):
        grown = [int((p | table[k]).sum()) for p in parts]
        fits = [(g - int(p.sum()), i) for i, (g, p) in enumerate(zip(grown, parts)) if g <= most]
        if fits:
            goes[k] = min(fits)[1]
            parts[goes[k]] |= table[k]
        else:
            goes[k] = len(parts)
            parts.append(table[k].copy())
    return goes[owner.reshape(-1)]
