"""Merge clips: several clips one after another as one take."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.job import Job
from customs.motion.curves.cut import joined
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Targeted, missing_targets
from customs.words import many


class MergeClips(Targeted):
    """Which, and what comes of them. Without targets nothing is merged."""

    name: str = Field(default="take", min_length=1, max_length=64, description="name of the merged clip")
    gap: float = Field(default=0.0, ge=0, le=60, description="seconds between them")


def _apply(scene: Scene, settings: MergeClips, resources: Content, job: Job) -> Outcome:
    if not settings.targets:
        return Outcome(scene)
    mine = [c for c in scene.clips if settings.takes(c.key, c.name, c.made_from)]
    missing = missing_targets(settings, ((c.key, c.name, c.made_from) for c in scene.clips))
    if len(mine) < 2:
        return Outcome(scene, missing)
    whole = joined(mine, settings.name, settings.gap)
    chosen = {id(c) for c in mine}
    clips = [whole if c is mine[0] else c for c in scene.clips if c is mine[0] or id(c) not in chosen]
    remark = Remark(f"{many(len(mine), 'clip')} → {settings.name}, {whole.seconds:.2f} s", whole.key)
    return Outcome(replace(scene, clips=tuple(clips)), (remark, *missing))


register(
    Step(
        id="merge-clips",
        name="Merge clips",
        desk="motion",
        order=93,
        phase="form",
        about="Puts several clips one after another into one take.",
        settings=MergeClips,
        apply=_apply,
        summary=lambda s: f"→ {s.name}"[:18],
        placements=True,
    )
)
