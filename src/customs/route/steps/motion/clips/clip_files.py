"""Clip files: how clips are delivered."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.words import many

NAMES = {
    "together": "one file",
    "each": "a file each",
    "first-with-mesh": "first with mesh",
    "only": "clips only",
}


class ClipFilesSettings(Settings):
    """Which files."""

    how: Literal["together", "each", "first-with-mesh", "only"] = Field(
        default="together",
        description="all in the model's file, each with the mesh, the first with the mesh and the others alone, or all alone",
    )


def _apply(scene: Scene, settings: ClipFilesSettings, resources: Content, job: Job) -> Outcome:
    if scene.wishes.clips == settings.how or not scene.clips:
        return Outcome(scene)
    count = len(scene.clips)
    files = {"together": 1, "each": count, "first-with-mesh": count, "only": count + 1}[settings.how]
    return Outcome(
        replace(scene, wishes=replace(scene.wishes, clips=settings.how)),
        (Remark(f"{many(count, 'clip')} in {files} model files"),),
    )


register(
    Step(
        id="clip-files",
        name="Clip files",
        desk="motion",
        order=100,
        phase="form",
        about="Says how clips are delivered: in one file, a file each, the first with the mesh, or alone.",
        settings=ClipFilesSettings,
        apply=_apply,
        summary=lambda s: NAMES[s.how],
        placements=True,
    )
)
