"""Colour space: textures marked as what they are used for; amounts of light become sRGB."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from customs.changes.materials import changed_images, with_pixels
from customs.changes.roles import roles_of_images
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import COLOUR_SLOTS, Image, Scene
from customs.scene.settings import Targeted
from customs.surface.colour import to_srgb
from customs.surface.pixels import image_info, image_pixels, stated_space


class ColourSpace(Targeted):
    """The mark."""

    space: Literal["by-role", "srgb", "linear"] = Field(
        default="by-role", description="the mark, or what the role asks for"
    )


def _bent(image: Image) -> Image:
    """Sixteen bits of light as sixteen bits of sRGB; alpha stays."""
    pixels = image_pixels(image)
    colours = pixels.shape[2] - (pixels.shape[2] in (2, 4))
    out = pixels.copy()
    out[..., :colours] = np.rint(to_srgb(pixels[..., :colours] / np.float32(65535)) * 65535)
    return replace(with_pixels(image, out), space="srgb")


def _apply(scene: Scene, settings: ColourSpace, resources: Content, job: Job) -> Outcome:
    roles = roles_of_images(scene)

    def change(i: int, image: Image) -> tuple[Image, str] | None:
        slots = roles.get(i, set())
        by_role: Literal["srgb", "linear"] = "srgb" if slots & set(COLOUR_SLOTS) else "linear"
        wanted = by_role if settings.space == "by-role" else settings.space
        if not image.there or image.problem or stated_space(image) == wanted:
            return None
        info = image_info(image)
        if info is not None and info.light and image.pixels is None:
            return _bent(image), "amounts of light brought to sRGB"
        return replace(
            image, space=wanted
        ), f"marked {'sRGB' if wanted == 'srgb' else 'linear'}; its numbers are unchanged"

    out, remarks = changed_images(scene, settings, job, change)
    return Outcome(out, remarks)


register(
    Step(
        id="colour-space",
        name="Colour space",
        desk="surface",
        order=63,
        about="Marks textures as sRGB or linear by what they are used for. Their numbers stay as they are, but for amounts of light, which become sRGB.",
        settings=ColourSpace,
        apply=_apply,
        summary=lambda s: {"srgb": "sRGB", "by-role": "by role"}.get(s.space, s.space),
        plural=True,
        placements=True,
    )
)
