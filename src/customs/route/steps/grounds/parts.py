"""Parts: a level is delivered as several lists, by kind, by squares of the plan, or as a person picked its things."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from customs.errors import StepError
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

Ints = npt.NDArray[np.integer]
MOST = 4_096
"""Lists a level is delivered as."""
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
    known = numbers >= 0
    return _told(scene, numbers[known], codes[known], words)


def _picked(scene: Scene, picked: tuple[Picked, ...]) -> Outcome:
    there = set(numbers_of(scene, things_of(scene)).tolist())
    numbers, codes, lost = list[int](), list[int](), 0
    for code, (_, keys) in enumerate(picked):
        mine = [k.ordinal for k in map(Key.parse, keys) if k.digest == scene.digest and k.ordinal in there]
        lost += len(keys) - len(mine)
        numbers += mine
        codes += [code] * len(mine)
    out = _told(scene, np.array(numbers, np.int64), np.array(codes, np.intp), [name for name, _ in picked])
    gone = Remark(f"{many(lost, 'picked thing')} no longer there")
    return Outcome(out.scene, (*out.remarks, *([gone] if lost else [])))


def _told(scene: Scene, numbers: Ints, codes: Ints, words: Sequence[str]) -> Outcome:
    """The scene with things of these numbers (N,) in parts called `words`, by their places (N,). Raises StepError for too many parts."""
    used = np.unique(codes)
    if not len(used):
        return Outcome(scene)
    if len(used) > MOST:
        raise StepError(f"{len(used):,} parts", f"{MOST:,} at most", "Choose larger squares.", where="edge")
    named = [words[k] for k in used.tolist()]
    parts = scene.parts.saying(numbers, np.searchsorted(used, codes), named)
    return Outcome(
        replace(scene, parts=parts), (Remark(f"{many(len(used), 'part')}, each a list of its own"),)
    )


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
