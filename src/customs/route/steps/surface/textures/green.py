"""Green: normal maps whose green points the other way are turned."""

from __future__ import annotations

from dataclasses import replace

from customs.changes.materials import changed_images, with_pixels
from customs.changes.roles import roles_of_images
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import NORMAL_SLOTS, Image, Scene
from customs.scene.settings import Targeted
from customs.surface.green import GreenWay, green_of
from customs.surface.pixels import pixels_or_none
from customs.surface.relief import flipped_green


class GreenSettings(Targeted):
    """Which maps; all normal maps when none is named."""


def _apply(scene: Scene, settings: GreenSettings, resources: Content, job: Job) -> Outcome:
    roles = roles_of_images(scene)

    def change(i: int, image: Image) -> tuple[Image, str] | None:
        pixels = pixels_or_none(image) if roles.get(i, set()) & NORMAL_SLOTS else None
        if pixels is None or pixels.shape[2] < 2:
            return None
        other: GreenWay = "down" if green_of(image, scene.convention.green) == "up" else "up"
        return replace(
            with_pixels(image, flipped_green(pixels)), green=other
        ), f"green turned over, now {other}"

    return Outcome(*changed_images(scene, settings, job, change))


register(
    Step(
        id="green",
        name="Green",
        desk="surface",
        order=70,
        about="Turns the green channel of normal maps over, so that they are lit from the right side.",
        settings=GreenSettings,
        apply=_apply,
        summary=lambda s: "turned over",
        placements=True,
    )
)
