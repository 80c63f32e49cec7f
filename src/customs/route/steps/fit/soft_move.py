"""Soft move: spots pulled, turned and scaled, the surface around them following."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from pydantic import Field, field_validator

from customs.changes.soft import Pull, grips_of, pulled_all, with_points
from customs.changes.standing_parts import Said, chosen, shown_elsewhere, whole_of
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.selection import growing
from customs.scene.settings import Settings
from customs.words import many

Three = tuple[float, float, float]
Move = tuple[tuple[Said, ...], Three, Three, float, float, bool]


class SoftMove(Settings):
    """The moves, one after another."""

    adds: ClassVar = ("moves",)
    moves: tuple[Move, ...] = Field(
        default=(),
        description="each: chosen faces, metres moved, degrees turned about X Y Z, scale, metres along the surface that follow, on both sides",
    )

    @field_validator("moves")
    @classmethod
    def _sound(cls, value: tuple[Move, ...]) -> tuple[Move, ...]:
        for faces, move, turn, scale, reach, _ in value:
            if not np.isfinite([*move, *turn, scale, reach]).all() or scale <= 0 or reach < 0:
                raise ValueError("finite numbers, a scale over 0 and a reach of 0 or more")
            if not all(isinstance(w, str) or growing(w) for _, w in faces):
                raise ValueError("ranges that grow")
        return value


def _apply(scene: Scene, settings: SoftMove, resources: Content, job: Job) -> Outcome:
    said, out = list[Remark](), scene
    for k, (faces, move, turn, scale, reach, both) in enumerate(settings.moves):
        job.check()
        job.progress(k / len(settings.moves), "Moving")
        whole = whole_of(out)
        spot, lost = chosen(whole, faces, resources)
        said += lost
        if not spot.any():
            continue
        points, grips = whole.points, grips_of(whole, spot, reach, both)
        if both and len(grips) < 2:
            said.append(Remark("nothing lies opposite a spot: it was moved on its own side alone"))
        moved = pulled_all(points, grips, Pull(move, turn, scale, reach))
        before, out = out, with_points(out, whole, moved)
        said += shown_elsewhere(out, {k for k, m in enumerate(out.meshes) if m is not before.meshes[k]})
        count = len(np.unique(np.concatenate([grip.rows for grip in grips])))
        far = float(np.linalg.norm(moved - points, axis=1).max())
        said.append(
            Remark(f"{many(count, 'vertex')} moved, up to {far * 1000:,.1f} mm", values={"furthest": far})
        )
    return Outcome(out, tuple(said))


register(
    Step(
        id="soft-move",
        name="Soft move",
        desk="fit",
        order=44,
        about="Moves, turns or scales spots of the surface; what is around follows as far as it is told to.",
        settings=SoftMove,
        apply=_apply,
        summary=lambda s: many(len(s.moves), "move"),
        plural=True,
    )
)
