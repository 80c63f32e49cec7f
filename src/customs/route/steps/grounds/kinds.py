"""Kinds: whole kinds of things in a level are left out, and what a person taught about them is kept."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.grounds.kinds import kinds_of
from customs.grounds.leaving import left_out
from customs.grounds.rules import KINDS, TITLES
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.kinds import Kind
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings


class Kinds(Settings):
    """Kinds that go, and kinds a person says things of a name are of (their number at the end does not count)."""

    adds = ("left_out", "taught")
    left_out: tuple[Kind, ...] = Field(default=(), description="kinds that are left out")
    taught: tuple[tuple[str, Kind], ...] = Field(
        default=(), description="names, and the kind of what has them"
    )


def _apply(scene: Scene, settings: Kinds, resources: Content, job: Job) -> Outcome:
    if settings.taught:
        scene = replace(scene, kinds=scene.kinds.teaching(dict(settings.taught)))
    if not settings.left_out:
        return Outcome(scene)
    found = kinds_of(scene)
    counts = found.counts()
    gone = np.isin(found.codes, [KINDS.index(k) for k in settings.left_out])
    said = [
        Remark(
            f"{counts[k][0]:,} {TITLES[k]} left out ({counts[k][1]:,} triangles)",
            values={"left_out_things": counts[k][0]},
        )
        for k in dict.fromkeys(settings.left_out)
        if k in counts
    ]
    return Outcome(left_out(scene, found.things, gone), tuple(said))


def _summary(settings: Kinds) -> str:
    return (
        f"{len(set(settings.left_out))} left out" if settings.left_out else f"{len(settings.taught)} taught"
    )


register(
    Step(
        id="kinds",
        name="Kinds",
        desk="grounds",
        order=7,
        about="Leaves out whole kinds of things of a level: volumes for tools, skies, boxes around the world, strays, copies in one place.",
        settings=Kinds,
        apply=_apply,
        summary=_summary,
        placements=True,
    )
)
