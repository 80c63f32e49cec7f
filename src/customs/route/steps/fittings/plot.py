"""Plot: the cells of a plan grid over the footprint given to areas."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field, field_validator

from customs.changes.plot import MOST, NONE
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Scene
from customs.scene.settings import Settings
from customs.scene.wishes import PlotWish
from customs.words import many


class Plot(Settings):
    """Rows of letters from the back to the front, each from −X to +X; a full stop is a cell given to nobody."""

    cell: float = Field(default=0.25, gt=0, le=1e4, description="metres a cell is wide")
    rows: tuple[str, ...] = Field(default=(), description="a letter a cell, rows from the back to the front")

    @field_validator("rows")
    @classmethod
    def _sound(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        if len(value) > MOST or any(len(row) > MOST for row in value):
            raise ValueError(f"at most {MOST} rows of {MOST} cells")
        if any(c != NONE and not c.isalnum() for row in value for c in row):
            raise ValueError("letters, digits and full stops")
        return value


def _apply(scene: Scene, settings: Plot, resources: Content, job: Job) -> Outcome:
    wish = PlotWish(settings.cell, settings.rows) if settings.rows else None
    return Outcome(replace(scene, wishes=replace(scene.wishes, plot=wish)))


def _summary(s: Plot) -> str:
    return many(sum(c != NONE for row in s.rows for c in row), "cell")


register(
    Step(
        id="plot",
        name="Plot",
        desk="fittings",
        order=107,
        about="A plan grid over the footprint, its cells given to the areas the destination knows.",
        settings=Plot,
        apply=_apply,
        summary=_summary,
        phase="form",
        placements=True,
    )
)
