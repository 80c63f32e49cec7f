"""Modules: pieces that are a little off a grid are brought onto it, where no seam opens."""

from __future__ import annotations

from pydantic import Field

from customs.grounds.modules import snapped
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.words import many


class Modules(Settings):
    """The grid, and the pieces meant: all where none is named."""

    adds = ("only",)
    grid: float = Field(default=1.0, gt=0, le=1e4, description="metres a step of the grid is long")
    only: tuple[str, ...] = Field(
        default=(), description="names of the pieces meant, all where there is none"
    )


def _apply(scene: Scene, settings: Modules, resources: Content, job: Job) -> Outcome:
    done = snapped(scene, settings.grid, frozenset(settings.only))
    left = f"; left as they are, or a seam would open: {', '.join(done.left[:6])}" if done.left else ""
    if done.scene is scene:
        return Outcome(scene, (Remark(f"nothing brought onto the grid{left}"),) if left else ())
    text = f"{many(done.fitted, 'kind')} of pieces made to fit a grid of {settings.grid:g} m, {many(done.moved, 'piece')} moved{left}"
    return Outcome(done.scene, (Remark(text),))


register(
    Step(
        id="modules",
        name="Modules",
        desk="grounds",
        order=17,
        about="Brings pieces of a building that are a little off a grid onto it: their size, their pivot, where they stand.",
        settings=Modules,
        apply=_apply,
        summary=lambda s: f"{s.grid:g} m",
        placements=True,
    )
)
