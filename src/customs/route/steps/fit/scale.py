"""Scale: the whole asset by one factor."""

from __future__ import annotations

from typing import Self

import numpy as np
from pydantic import Field

from customs.conventions.convert import convert
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Scene
from customs.scene.settings import Settings


class Scale(Settings):
    """The factor."""

    factor: float = Field(default=1.0, gt=1e-9, le=1e9, description="a factor on all lengths")

    def merged(self, other: Self) -> Self:
        """Both factors, one after the other."""
        return type(self)(factor=self.factor * other.factor)


def _apply(scene: Scene, settings: Scale, resources: Content, job: Job) -> Outcome:
    return Outcome(convert(scene, np.eye(3), settings.factor))


register(
    Step(
        id="scale",
        name="Scale",
        desk="fit",
        order=14,
        about="Makes everything larger or smaller: vertices, joints, clips, lights and cameras alike.",
        settings=Scale,
        apply=_apply,
        summary=lambda s: f"× {s.factor:.6g}",
        placements=True,
    )
)
