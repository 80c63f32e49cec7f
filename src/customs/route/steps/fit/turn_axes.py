"""Turn axes: the asset's axes are not what was said; put them right."""

from __future__ import annotations

from pydantic import Field

from customs.conventions.axes import between
from customs.conventions.convert import convert
from customs.errors import CustomsError, StepError
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.convention import WORKING, Axis, Convention, Hand
from customs.scene.model import Scene
from customs.scene.settings import Settings


class TurnAxes(Settings):
    """Which way the asset really stands, in the working frame it arrived in."""

    up: Axis = Field(default="+Y", description="axis its top points along now")
    faces: Axis = Field(default="+Z", description="axis its front points along now")
    hand: Hand = Field(default="right", description="left mirrors it")


def _apply(scene: Scene, settings: TurnAxes, resources: Content, job: Job) -> Outcome:
    try:
        p, _ = between(Convention(settings.up, settings.faces, settings.hand), WORKING)
    except CustomsError as problem:
        raise StepError(problem.found, problem.expected, problem.todo, where="Axes") from None
    # What looked outward is to look outward still, so a mirror turns faces over.
    return Outcome(convert(scene, p, 1.0, turn_over=settings.hand == "left"))


register(
    Step(
        id="turn-axes",
        name="Axes",
        desk="fit",
        order=10,
        about="Stands an asset up whose axes are not what its file or origin said; mirrors it when handedness was wrong.",
        settings=TurnAxes,
        apply=_apply,
        summary=lambda s: f"{s.up} up, {s.faces} front".replace("-", "−"),
        placements=True,
    )
)
