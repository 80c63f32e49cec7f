"""Vertices that are equal in everything made one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.changes.primitives import drop_unused_vertices, take_vertices, vertex_columns
from customs.geometry.weld import groups_near, unique_rows
from customs.scene.arrays import frozen
from customs.scene.model import Primitive


def welded(prim: Primitive, distance: float, over_normals: bool) -> Primitive:
    """One primitive welded."""
    skip = ("normals", "tangents") if over_normals else ()
    columns = vertex_columns(prim, (*skip, "positions"))
    groups = groups_near(prim.positions, distance).reshape(-1, 1)
    first, inverse = unique_rows([groups, *columns])
    if len(first) == len(prim.positions):
        return drop_unused_vertices(prim)
    flat = prim.indices if prim.indices is not None else np.arange(len(prim.positions), dtype=np.uint32)
    base = replace(prim, normals=None, tangents=None) if over_normals else prim
    out = replace(
        take_vertices(base, first),
        indices=frozen(inverse[flat], np.uint32),
        triangulation=None if prim.triangulation is None else frozen(inverse[prim.triangulation], np.uint32),
    )
    return drop_unused_vertices(out)
