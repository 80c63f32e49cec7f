"""Turn: an extra turn by any angle."""

from __future__ import annotations

import numpy as np
from pydantic import Field

from customs.conventions.axes import quarter_turns, turn_matrix
from customs.conventions.convert import convert
from customs.conventions.turn import turn_roots
from customs.errors import StepError
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Scene
from customs.scene.settings import Settings


class Turn(Settings):
    """Degrees about X, then Y, then Z of the working frame."""

    degrees: tuple[float, float, float] = Field(
        default=(0.0, 180.0, 0.0), description="degrees about X, Y, Z"
    )


def _apply(scene: Scene, settings: Turn, resources: Content, job: Job) -> Outcome:
    if not np.isfinite(settings.degrees).all():
        raise StepError("an angle that is no number", "degrees", where="Turn")
    quarter = quarter_turns(settings.degrees)
    if quarter is not None:
        return Outcome(convert(scene, quarter, 1.0))
    return Outcome(turn_roots(scene, turn_matrix(settings.degrees)))


def _summary(settings: Turn) -> str:
    if settings.degrees == (0.0, 180.0, 0.0):
        return "half turn"
    return " ".join(f"{a} {d:g}°" for a, d in zip("XYZ", settings.degrees) if d) or "none"


register(
    Step(
        id="turn",
        name="Turn",
        desk="fit",
        order=12,
        about="Turns the whole asset about the working axes.",
        settings=Turn,
        apply=_apply,
        summary=_summary,
        placements=True,
    )
)
