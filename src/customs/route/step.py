"""What a step is, and the registry of all steps."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from pydantic import ConfigDict, ValidationError

from customs.errors import StepError
from customs.job import Job
from customs.registry import Registry
from customs.scene.folding import fold, unfolded
from customs.scene.levels import without_stale_levels
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings, Targeted, missing_targets

Content = Mapping[str, bytes]
NOTHING: Content = {}
DESKS = ("fit", "surface", "motion", "fittings", "grounds", "dispatch")
Phase = Literal["right", "together", "form"]
PHASES: tuple[Phase, ...] = ("right", "together", "form")
"""Putting right, bringing together, and the form of delivery, which depends on what came of both."""


@dataclass(frozen=True)
class Outcome:
    """What a step gives back."""

    scene: Scene
    remarks: tuple[Remark, ...] = ()


@dataclass(frozen=True)
class Step:
    """One kind of change. `order` places it on a planned route; `name` is what the strip shows. A plan takes
    remedies of one `phase` before it asks what the next one needs."""

    id: str
    name: str
    desk: str
    order: int
    about: str
    settings: type[Settings]
    apply: Callable[[Scene, Any, Content, Job], Outcome]
    summary: Callable[[Any], str] = field(default=lambda settings: "")
    phase: Phase = "right"
    fixed: bool = False
    plural: bool = False
    """A second stop of the same step makes sense (resize this, then that)."""
    targets: Literal["meshes", "materials", "images", "nodes", ""] = ""
    """What its settings can be kept to, where the step itself does not say which targets are gone."""
    placements: bool = False
    """It takes a scene's placements as they are; for any other step they become nodes, and a table again
    after it.
    """

    remakes: bool = False
    """It makes the asset anew: what is set of it is worked in before a route is planned, not changed in it afterwards."""

    def run(self, scene: Scene, settings: Any, resources: Content, job: Job) -> Outcome:
        """`apply`, with placements as this step knows them, and a remark for each target that nothing answers
        to.
        """
        gone: tuple[Remark, ...] = ()
        if self.targets and isinstance(settings, Targeted) and settings.targets:
            gone = missing_targets(
                settings, ((x.key, x.name, x.made_from) for x in getattr(scene, self.targets))
            )
        whole = scene if self.placements or not len(scene.placements) else unfolded(scene)
        done = self.apply(whole, settings, resources, job)
        after = done.scene if whole is scene else scene if done.scene is whole else fold(done.scene)
        after, stale = without_stale_levels(scene, after)
        return Outcome(after, (*done.remarks, *stale, *gone))


STEPS = Registry[Step]("the steps", "customs.route.steps", lambda step: step.order, deep=True)
register = STEPS.add


def steps() -> dict[str, Step]:
    """All steps by id, in route order."""
    return STEPS.all()


def get_step(id_: str) -> Step:
    """The step called `id_`. Raises StepError."""
    found = STEPS.get(id_)
    if found is None:
        raise StepError(f"no step {id_!r}", "one of " + ", ".join(steps()), "List them with: customs steps.")
    return found


class Foreign(Settings):
    """Settings of a step that is not known here, kept as they are."""

    model_config = ConfigDict(frozen=True, extra="allow")


def step_of(id_: str) -> Step:
    """The step a kept stop names. Where this edition has none of that name, one that says so when it is to
    run.
    """
    return STEPS.get(id_) or Step(
        id_, id_, "dispatch", 0, "A step this edition of Customs does not have.", Foreign, _unknown
    )


def _unknown(scene: Scene, settings: Settings, resources: Content, job: Job) -> Outcome:
    raise StepError(
        "this edition of Customs has no such step",
        "one of its own",
        "Take the stop out of the route, or open the shipment with the edition that made it.",
    )


def make_settings(step: Step, values: Mapping[str, Any]) -> Settings:
    """Checked settings. Raises StepError naming the field and what it takes."""
    try:
        return step.settings.model_validate(dict(values))
    except ValidationError as problem:
        first = problem.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        fields = ", ".join(step.settings.model_fields)
        raise StepError(
            f"{first.get('input')!r:.60}", str(first["msg"]), f"Fields: {fields}.", step.name, where
        ) from None
