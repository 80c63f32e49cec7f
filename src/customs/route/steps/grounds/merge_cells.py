"""Merge small props: those that stand in one cell of the plan become one mesh."""

from __future__ import annotations

from pydantic import Field

from customs.grounds.cells import mergeable, merged
from customs.grounds.kinds import kinds_of
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.words import many


class MergeCells(Settings):
    """How wide a cell is, and what counts as small."""

    edge: float = Field(default=4.0, gt=0, le=1e4, description="metres a cell is wide and deep")
    most: int = Field(
        default=500, ge=1, le=100_000, description="triangles of a prop that is merged, at most"
    )


def _apply(scene: Scene, settings: MergeCells, resources: Content, job: Job) -> Outcome:
    found = kinds_of(scene)
    which = mergeable(scene, found, settings.most)
    out, cells = merged(scene, found, which, settings.edge)
    if not cells:
        return Outcome(scene)
    text = (
        f"{many(int(which.sum()), 'small prop')} as {many(cells, 'mesh')}, one for each {settings.edge:g} m"
    )
    return Outcome(out, (Remark(text),))


register(
    Step(
        id="merge-cells",
        name="Merge props",
        desk="grounds",
        order=109,
        phase="form",
        about="Makes one mesh of the small props in each cell of the plan, where a destination draws few things faster than many.",
        settings=MergeCells,
        apply=_apply,
        summary=lambda s: f"cells of {s.edge:g} m",
        placements=True,
    )
)
