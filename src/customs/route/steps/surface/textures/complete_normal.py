"""Third channel: normal maps that hold red and green alone get their blue back."""

from __future__ import annotations

from customs.changes.materials import changed_images, with_pixels
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Image, Scene
from customs.scene.settings import Targeted
from customs.surface.guess import content_of
from customs.surface.pixels import pixels_or_none
from customs.surface.relief import two_to_three


class CompleteNormal(Targeted):
    """Nothing to set: z = √(1 − x² − y²)."""


def _change(i: int, image: Image) -> tuple[Image, str] | None:
    found, pixels = content_of(image), pixels_or_none(image)
    if found is None or pixels is None or found.content != "two-channel normal":
        return None
    return with_pixels(image, two_to_three(pixels)), "blue worked out from red and green"


def _apply(scene: Scene, settings: CompleteNormal, resources: Content, job: Job) -> Outcome:
    return Outcome(*changed_images(scene, settings, job, _change))


register(
    Step(
        id="complete-normal",
        name="Third channel",
        desk="surface",
        order=68,
        about="Works out the blue of normal maps that hold red and green alone.",
        settings=CompleteNormal,
        apply=_apply,
        summary=lambda s: "blue from red, green"[:18],
        placements=True,
    )
)
