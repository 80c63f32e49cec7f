"""Small pieces: what is smaller than a size is left out of a level."""

from __future__ import annotations

import numpy as np
from pydantic import Field

from customs.grounds.kinds import kinds_of
from customs.grounds.leaving import left_out
from customs.grounds.small import smaller
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.words import many


class Small(Settings):
    """The least longest side."""

    least: float = Field(default=0.05, gt=0, le=1e4, description="metres of the longest side that stays")


def _apply(scene: Scene, settings: Small, resources: Content, job: Job) -> Outcome:
    found = kinds_of(scene)
    gone = smaller(found, settings.least)
    if not gone.any():
        return Outcome(scene)
    faces = int(np.sum(found.things.triangles(found.meshes)[gone]))
    count = int(gone.sum())
    text = f"{many(count, 'thing')} under {settings.least:g} m left out ({faces:,} triangles)"
    return Outcome(left_out(scene, found.things, gone), (Remark(text, values={"left_out_things": count}),))


register(
    Step(
        id="small",
        name="Small things",
        desk="grounds",
        order=8,
        about="Leaves out what is smaller than a size: cards, screws, crumbs that nobody sees in a level.",
        settings=Small,
        apply=_apply,
        summary=lambda s: f"under {s.least:g} m",
        placements=True,
    )
)
