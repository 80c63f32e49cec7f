"""Triangulate: polygons, strips and fans become triangle lists."""

from __future__ import annotations

from typing import ClassVar

from pydantic import Field

from customs.changes.primitives import as_triangles, map_primitives
from customs.geometry.triangles import TRIANGLE_MODES
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.settings import Targeted


class Triangulate(Targeted):
    """Whether loose points and lines go too."""

    stays: ClassVar = ("drop_loose",)
    drop_loose: bool = Field(default=False, description="drop points and lines that belong to no face")


def _apply(scene: Scene, settings: Triangulate, resources: Content, job: Job) -> Outcome:
    dropped = [0]

    def change(_: object, prim: Primitive) -> Primitive | None:
        if prim.mode not in TRIANGLE_MODES:
            dropped[0] += settings.drop_loose
            return None if settings.drop_loose else prim
        return as_triangles(prim)

    out = map_primitives(scene, settings, job, change)
    return Outcome(out, (Remark(f"{dropped[0]} parts of points or lines dropped"),) if dropped[0] else ())


register(
    Step(
        id="triangulate",
        name="Triangles",
        desk="fit",
        order=36,
        about="Makes triangle lists of polygons, strips and fans.",
        settings=Triangulate,
        targets="meshes",
        apply=_apply,
        summary=lambda s: "no points, lines" if s.drop_loose else "lists",
        placements=True,
    )
)
