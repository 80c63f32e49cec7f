"""Unit: normal maps with vectors one long again."""

from __future__ import annotations

from customs.changes.materials import changed_images, with_pixels
from customs.changes.roles import roles_of_images
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Image, Scene
from customs.scene.settings import Targeted
from customs.surface.pixels import pixels_or_none
from customs.surface.relief import renormalised


class Renormalise(Targeted):
    """Which maps; all normal maps when none is named."""


def _apply(scene: Scene, settings: Renormalise, resources: Content, job: Job) -> Outcome:
    roles = roles_of_images(scene)

    def change(i: int, image: Image) -> tuple[Image, str] | None:
        pixels = pixels_or_none(image) if "normal" in roles.get(i, set()) else None
        if pixels is None or pixels.shape[2] < 3:
            return None
        return with_pixels(image, renormalised(pixels)), "vectors one long again"

    return Outcome(*changed_images(scene, settings, job, change))


register(
    Step(
        id="renormalise",
        name="Unit",
        desk="surface",
        order=71,
        about="Brings every vector of normal maps back to a length of one.",
        settings=Renormalise,
        apply=_apply,
        summary=lambda s: "one long",
        placements=True,
    )
)
