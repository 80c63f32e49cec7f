"""Drop vertex colours."""

from __future__ import annotations

from dataclasses import replace

from customs.changes.primitives import map_primitives
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Primitive, Scene
from customs.scene.settings import Targeted


class DropColours(Targeted):
    """All meshes, or those named."""


def _apply(scene: Scene, settings: DropColours, resources: Content, job: Job) -> Outcome:
    def change(_: object, prim: Primitive) -> Primitive:
        return replace(prim, colours=()) if prim.colours else prim

    return Outcome(map_primitives(scene, settings, job, change))


register(
    Step(
        id="drop-colours",
        name="Vertex colours",
        desk="fit",
        order=22,
        about="Drops vertex colours.",
        settings=DropColours,
        targets="meshes",
        apply=_apply,
        summary=lambda s: "dropped",
        placements=True,
    )
)
