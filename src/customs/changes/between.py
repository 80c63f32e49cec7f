"""New vertices between two old ones, with all that hangs on them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.changes.primitives import with_faces
from customs.geometry.cutting import Division
from customs.later import later
from customs.motion.weights.table import influences_of, table_of
from customs.scene.arrays import frozen
from customs.scene.model import MorphTarget, Primitive
from customs.scene.transforms import unit_rows

sparse = later("scipy.sparse")
F64 = npt.NDArray[np.float64]


def with_division(prim: Primitive, cut: Division) -> Primitive:
    """The primitive with its faces divided; old vertices stay as they are to the last bit, new ones lie on their edges.
    Directions are made one long again, weights summing to one over as many influences as before.
    """
    if not len(cut.edges):
        return prim
    a, b = cut.edges.T
    t = cut.share[:, None]

    def more(values: Any, unit: int = 0) -> Any:
        if values is None:
            return None
        flat = values.reshape(len(values), -1)
        new = flat[a] * (1 - t) + flat[b] * t
        if unit:
            new[:, :unit] = unit_rows(new[:, :unit])
            new[:, unit:] = flat[a][:, unit:]
        if values.dtype.kind in "iu":
            new = flat[a]
        return frozen(
            np.concatenate([flat, new.astype(values.dtype)]).reshape(-1, *values.shape[1:]), values.dtype
        )

    joints, weights = _influences(prim, cut)
    return replace(
        with_faces(prim, cut.faces, cut.source),
        positions=more(prim.positions),
        normals=more(prim.normals, 3),
        tangents=more(prim.tangents, 3),
        texcoords=tuple(more(x) for x in prim.texcoords),
        colours=tuple(more(x) for x in prim.colours),
        joints=joints,
        weights=weights,
        targets=tuple(
            MorphTarget(more(x.positions), more(x.normals), more(x.tangents)) for x in prim.targets
        ),
        custom={name: more(x) for name, x in prim.custom.items()},
    )


def _influences(prim: Primitive, cut: Division) -> tuple[Any, Any]:
    if prim.joints is None or prim.weights is None:
        return prim.joints, prim.weights
    a, b = cut.edges.T
    table, width = table_of(prim, int(prim.joints.max(initial=0)) + 1), prim.joints.shape[1]
    mixed = sparse.diags(1 - cut.share) @ table[a] + sparse.diags(cut.share) @ table[b]
    found, shares = influences_of(mixed, width)
    joints = np.zeros((len(a), width), np.uint16)
    weights = np.zeros((len(a), width), np.float32)
    most = min(width, found.shape[1])
    joints[:, :most], weights[:, :most] = found[:, :most], shares[:, :most]
    weights[np.asarray(mixed.sum(axis=1)).reshape(-1) <= 0] = 0
    return (
        frozen(np.concatenate([prim.joints, joints]), np.uint16),
        frozen(np.concatenate([prim.weights, weights])),
    )
