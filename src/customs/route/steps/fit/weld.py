"""Weld: vertices that are the same become one; vertices nothing uses go."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.geometry.weld import groups_near, unique_rows
from customs.route.edit import drop_unused_vertices, map_primitives, take_vertices, vertex_columns
from customs.route.step import Content, Job, Outcome, Step, Targeted, register
from customs.scene.arrays import frozen
from customs.scene.model import Primitive, Remark, Scene


class Weld(Targeted):
    """How far apart vertices may be, and whether normals may differ."""

    distance: float = Field(default=0.0, ge=0, le=1, description="metres; 0 welds only what is equal")
    over_normals: bool = Field(default=False, description="weld across hard edges too (normals are made new)")


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


def _apply(scene: Scene, settings: Weld, resources: Content, job: Job) -> Outcome:
    counts = [0, 0]

    def change(_: object, prim: Primitive) -> Primitive:
        out = welded(prim, settings.distance, settings.over_normals)
        counts[0] += len(prim.positions)
        counts[1] += len(out.positions)
        return out

    out = map_primitives(scene, settings, job, change)
    return Outcome(out, (Remark(f"{counts[0]:,} → {counts[1]:,} vertices"),))


register(
    Step(
        id="weld",
        name="Weld",
        desk="fit",
        order=38,
        about="Makes one vertex of several that are the same in everything, and drops those no face uses.",
        settings=Weld,
        apply=_apply,
        summary=lambda s: "equal ones" if s.distance == 0 else f"within {s.distance * 1000:g} mm",
    )
)
