"""Bleed: colours drawn out under clear pixels."""

from __future__ import annotations

from customs.changes.materials import changed_images, with_pixels
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Image, Scene
from customs.scene.settings import Targeted
from customs.surface.pixels import pixels_or_none
from customs.surface.transparency import bled


class Bleed(Targeted):
    """Which textures; all with clear pixels when none is named."""


def _change(i: int, image: Image) -> tuple[Image, str] | None:
    pixels = pixels_or_none(image)
    if pixels is None or pixels.shape[2] not in (2, 4):
        return None
    new = bled(pixels)
    return None if new is pixels else (with_pixels(image, new), "colours drawn out under clear pixels")


def _apply(scene: Scene, settings: Bleed, resources: Content, job: Job) -> Outcome:
    return Outcome(*changed_images(scene, settings, job, _change))


register(
    Step(
        id="bleed",
        name="Bleed",
        desk="surface",
        order=87,
        phase="together",
        about="Draws colours out under clear pixels, so that no rim shows around leaves.",
        settings=Bleed,
        apply=_apply,
        summary=lambda s: "under clear",
        placements=True,
    )
)
