"""Settle: node transforms go into vertices, joints and clips; nothing moves in world space."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from customs.changes.settling import settle
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.folding import unfolded
from customs.scene.model import Scene
from customs.scene.settings import Settings


class Settle(Settings):
    """What becomes of meshes that stand in many places."""

    placements: Literal["kept", "copied"] = Field(
        default="kept", description="placements keep where they stand, or get a copy of their mesh each"
    )


def _apply(scene: Scene, settings: Settle, resources: Content, job: Job) -> Outcome:
    copied = settings.placements == "copied" and bool(len(scene.placements))
    out, remarks = settle(unfolded(scene) if copied else scene)
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
        placements=True,
    )
)
