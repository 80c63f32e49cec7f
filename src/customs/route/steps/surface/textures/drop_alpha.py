"""Drop alpha: textures whose alpha says nothing lose it."""

from __future__ import annotations

from pydantic import Field

from customs.changes.materials import changed_images, with_pixels
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Image, Scene
from customs.scene.settings import Targeted
from customs.surface.pixels import pixels_or_none
from customs.surface.transparency import without_alpha


class DropAlpha(Targeted):
    """Which textures."""

    only_solid: bool = Field(
        default=True, description="of those not named, only ones that are solid throughout"
    )


def _apply(scene: Scene, settings: DropAlpha, resources: Content, job: Job) -> Outcome:
    def change(i: int, image: Image) -> tuple[Image, str] | None:
        pixels = pixels_or_none(image)
        if pixels is None or pixels.shape[2] not in (2, 4):
            return None
        if settings.only_solid and not settings.targets and pixels[:, :, -1].min() < pixels[:, :, -1].max():
            return None
        return with_pixels(image, without_alpha(pixels)), "alpha left out"

    return Outcome(*changed_images(scene, settings, job, change))


register(
    Step(
        id="drop-alpha",
        name="Drop alpha",
        desk="surface",
        order=89,
        phase="form",
        about="Leaves the alpha channel out of textures where it says nothing.",
        settings=DropAlpha,
        apply=_apply,
        summary=lambda s: "unused",
        placements=True,
    )
)
