"""Kept levels: levels of detail that came along become levels of their finest mesh."""

from __future__ import annotations

from pydantic import Field

from customs.changes.came_levels import families
from customs.changes.kept_levels import levels_kept
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.levels import LAST
from customs.scene.model import Scene
from customs.scene.settings import Targeted


class KeptLevels(Targeted):
    """All families of levels, or those whose finest is named."""

    last: float = Field(default=LAST, gt=0, le=1e9, description="metres up to which the last level is shown")


def _apply(scene: Scene, settings: KeptLevels, resources: Content, job: Job) -> Outcome:
    chosen = set[int]()
    for family in families(scene):
        finest = scene.nodes[family.members[0][1]]
        if settings.takes(finest.key, finest.name, finest.made_from):
            chosen.add(family.members[0][1])
    if not chosen:
        return Outcome(scene)
    out, said = levels_kept(scene, chosen, settings.last)
    return Outcome(out, said)


register(
    Step(
        id="kept-levels",
        name="Kept levels",
        desk="fittings",
        order=102,
        about="Levels of detail that came along become levels of their finest mesh, each with a distance.",
        settings=KeptLevels,
        targets="nodes",
        apply=_apply,
        summary=lambda s: "levels kept",
        phase="form",
        placements=True,
    )
)
