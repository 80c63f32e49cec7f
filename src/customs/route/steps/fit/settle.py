"""Settle: node transforms go into vertices, joints and clips; nothing moves in world space."""

from __future__ import annotations

from customs.job import Job
from customs.route.settle import settle
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Scene
from customs.scene.settings import Settings


class Settle(Settings):
    """Nothing to set."""


def _apply(scene: Scene, settings: Settle, resources: Content, job: Job) -> Outcome:
    out, remarks = settle(scene)
    return Outcome(out, remarks)


register(
    Step(
        id="settle",
        name="Settle",
        desk="fit",
        order=30,
        about="Takes leftover rotation and scale off every node, into the vertices, joints and clips.",
        settings=Settle,
        apply=_apply,
        summary=lambda s: "into vertices",
    )
)
