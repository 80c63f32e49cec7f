"""Tint: textures recoloured with their shading kept."""

from __future__ import annotations

import numpy as np
from pydantic import Field, field_validator

from customs.changes.materials import changed_images, with_pixels
from customs.changes.roles import roles_of_images
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Image, Scene
from customs.scene.settings import Targeted
from customs.surface.glow import colour_mask, parse_colour, tinted
from customs.surface.pixels import pixels_or_none

COLOURS = {"base_colour", "diffuse", "emissive"}


class Tint(Targeted):
    """The new colour, and which of the old ones it is for."""

    colour: str = Field(default="#4a9480", description="new colour, as #rrggbb")
    only: tuple[str, ...] = Field(default=(), description="colours that change; empty means all")
    tolerance: float = Field(default=0.12, ge=0, le=1, description="OKLab distance that changes wholly")
    feather: float = Field(
        default=0.08, ge=0, le=1, description="further distance over which the change fades"
    )
    strength: float = Field(default=1.0, ge=0, le=1, description="0 leaves it, 1 takes the new hue wholly")

    @field_validator("colour", "only")
    @classmethod
    def _colours(cls, value: str | tuple[str, ...]) -> str | tuple[str, ...]:
        for text in (value,) if isinstance(value, str) else value:
            parse_colour(text)
        return value


def _apply(scene: Scene, settings: Tint, resources: Content, job: Job) -> Outcome:
    s, roles = settings, roles_of_images(scene)

    def change(i: int, image: Image) -> tuple[Image, str] | None:
        pixels = pixels_or_none(image) if s.targets or roles.get(i, set()) & COLOURS else None
        if pixels is None or pixels.shape[2] < 3:
            return None
        whole = np.ones(pixels.shape[:2], np.float32)
        mask = colour_mask(pixels, s.only, s.tolerance, s.feather) if s.only else whole
        return with_pixels(
            image, tinted(pixels, mask, s.colour, s.strength)
        ), f"{mask.mean() * 100:.0f} % recoloured"

    return Outcome(*changed_images(scene, s, job, change))


register(
    Step(
        id="tint",
        name="Tint",
        desk="surface",
        order=74,
        about="Recolours textures by hue; light and dark stay as they are.",
        settings=Tint,
        apply=_apply,
        summary=lambda s: s.colour,
        plural=True,
        placements=True,
    )
)
