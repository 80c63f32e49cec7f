"""Vertices with numbers that are not finite."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.scene.arrays import all_finite, finite_rows, frozen
from customs.scene.model import Primitive


def finite_vertices(prim: Primitive) -> npt.NDArray[np.bool_]:
    """(V,) True where the position is finite."""
    return finite_rows(prim.positions)


def not_finite(prim: Primitive) -> int:
    """Vertices with a number that is not finite in any float array."""
    arrays = [prim.positions, prim.normals, prim.tangents, prim.weights, *prim.texcoords, *prim.colours]
    bad: npt.NDArray[np.bool_] | None = None
    for values in arrays:
        if values is None or all_finite(values):
            continue
        rows = ~finite_rows(values)
        bad = rows if bad is None else bad | rows
    return 0 if bad is None else int(bad.sum())


def repaired(prim: Primitive) -> Primitive:
    """Broken numbers outside the positions replaced: UVs by 0, colours by 1, weights by 0; normals and
    tangents go.
    """

    def clean(values: npt.NDArray[np.float32], fill: float) -> npt.NDArray[np.float32]:
        return (
            values
            if all_finite(values)
            else frozen(np.nan_to_num(values, nan=fill, posinf=fill, neginf=fill))
        )

    normals, tangents = prim.normals, prim.tangents
    return replace(
        prim,
        normals=normals if normals is None or all_finite(normals) else None,
        tangents=tangents if tangents is None or all_finite(tangents) else None,
        texcoords=tuple(clean(t, 0) for t in prim.texcoords),
        colours=tuple(clean(c, 1) for c in prim.colours),
        weights=None if prim.weights is None else clean(prim.weights, 0),
    )
