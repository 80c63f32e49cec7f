"""Weld: vertices that are the same become one; vertices nothing uses go."""

from __future__ import annotations

from typing import ClassVar

from pydantic import Field

from customs.changes.primitives import map_primitives
from customs.changes.welding import welded
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.settings import Targeted


class Weld(Targeted):
    """How far apart vertices may be, and whether normals may differ."""

    stays: ClassVar = ("over_normals",)
    distance: float = Field(default=0.0, ge=0, le=1, description="metres; 0 welds only what is equal")
    over_normals: bool = Field(default=False, description="weld across hard edges too (normals are made new)")


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
        targets="meshes",
        apply=_apply,
        summary=lambda s: "equal ones" if s.distance == 0 else f"within {s.distance * 1000:g} mm",
        placements=True,
    )
)
