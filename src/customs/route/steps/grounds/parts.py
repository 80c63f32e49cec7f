"""Parts: a level is delivered as several lists, by kind, by squares of the plan, or as a person picked its things."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from customs.grounds.kinds import kinds_of
from customs.grounds.rules import KINDS, TITLES
from customs.grounds.things import numbers_of, things_of
from customs.grounds.tiles import tiles_of
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.key import Key
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.words import many

Picked = tuple[str, tuple[str, ...]]
"""(what a part is called, Keys of its things)."""


class Parts(Settings):
    """What goes into a list of its own."""

    adds = ("picked",)
    by: Literal["kind", "squares", "picked"] = Field(
        default="picked", description="by kind, by squares of the plan, or as things were picked"
    )
    edge: float = Field(default=32.0, gt=0, le=1e6, description="metres a square of the plan is wide")
    picked: tuple[Picked, ...] = Field(
        default=(), description="(what a part is called, Keys of its things); the rest is a list too"
    )


def _apply(scene: Scene, settings: Parts, resources: Content, job: Job) -> Outcome:
    if settings.by == "picked":
        return _picked(scene, settings.picked)
    things = things_of(scene)
    numbers = numbers_of(scene, things)
    if settings.by == "kind":
        codes, words = kinds_of(scene).codes.astype(np.intp), [TITLES[k] for k in KINDS]
    else:
        squares, which = np.unique(tiles_of(things, settings.edge), axis=0, return_inverse=True)
        codes, words = which.reshape(-1), [f"square {i} {j}" for i, j in squares.tolist()]
    parts = scene.parts
    for code in np.unique(codes[numbers >= 0]).tolist():
        parts = parts.saying(numbers[(codes == code) & (numbers >= 0)], words[code])
    return _told(scene, replace(scene, parts=parts))


def _picked(scene: Scene, picked: tuple[Picked, ...]) -> Outcome:
    known = set(numbers_of(scene, things_of(scene)).tolist())
    parts, lost = scene.parts, 0
    for name, keys in picked:
        mine = [k.ordinal for k in map(Key.parse, keys) if k.digest == scene.digest and k.ordinal in known]
        lost += len(keys) - len(mine)
        if mine:
            parts = parts.saying(np.array(mine), name)
    out = _told(scene, replace(scene, parts=parts))
    gone = Remark(f"{many(lost, 'picked thing')} no longer there")
    return Outcome(out.scene, (*out.remarks, *([gone] if lost else [])))


def _told(before: Scene, after: Scene) -> Outcome:
    if len(after.parts.ordinals) == 0:
        return Outcome(before)
    return Outcome(after, (Remark(f"{many(len(after.parts.words), 'part')}, each a list of its own"),))


def _summary(settings: Parts) -> str:
    return many(len(settings.picked), "part") if settings.by == "picked" else f"by {settings.by}"


register(
    Step(
        id="parts",
        name="Parts",
        desk="grounds",
        order=111,
        phase="form",
        about="Delivers a level as several lists, by kind, by squares of the plan or as things were picked, where its destination takes lists.",
        settings=Parts,
        apply=_apply,
        summary=_summary,
        placements=True,
    )
)
