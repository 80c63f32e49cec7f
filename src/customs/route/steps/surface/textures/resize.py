"""Resize textures: to powers of two, within a limit."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy.typing as npt
from pydantic import Field

from customs.changes.materials import tiles
from customs.changes.roles import roles_of_images
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.model import COLOUR_SLOTS, NORMAL_SLOTS, Image, Remark, Scene
from customs.scene.settings import Targeted
from customs.surface.kept import made_of_pixels
from customs.surface.pixels import image_info, pixels_or_none
from customs.surface.resize import fitted, resize


class Resize(Targeted):
    """The limit and the shape."""

    limit: int = Field(default=4096, ge=1, le=16384, description="longest edge in pixels")
    power_of_two: bool = Field(default=False, description="edges become powers of two")
    square: bool = Field(default=False, description="both edges alike")
    least: int = Field(default=1, ge=1, le=16384, description="shorter textures grow to this edge in pixels")


def _resized(image: Image, pixels: npt.NDArray[Any], *how: Any) -> npt.NDArray[Any]:
    """`pixels` of an image by `resize`, with `how` for its other arguments."""

    def make() -> npt.NDArray[Any]:
        new = resize(pixels, *how)
        return frozen(new, new.dtype)

    return made_of_pixels(("resize", *how), image, make)


def _apply(scene: Scene, settings: Resize, resources: Content, job: Job) -> Outcome:
    roles, tiling = roles_of_images(scene), tiles(scene)
    images, remarks = [], []
    for i, image in enumerate(scene.images):
        job.check()
        info = image_info(image) if settings.takes(image.key, image.name, image.made_from) else None
        if info is None:
            images.append(image)
            continue
        size = fitted(
            info.width, info.height, settings.limit, settings.power_of_two, settings.square, settings.least
        )
        pixels = pixels_or_none(image) if size != (info.width, info.height) else None
        if pixels is None:
            images.append(image)
            continue
        job.progress(i / len(scene.images), f"Resize {image.name}")
        slots = roles.get(i, set())
        kind = not slots or bool(slots & set(COLOUR_SLOTS)), bool(slots & NORMAL_SLOTS)
        images.append(
            replace(image, pixels=_resized(image, pixels, *size, *kind, tiling.get(i, (False, False))))
        )
        remarks.append(Remark(f"{info.width} × {info.height} → {size[0]} × {size[1]}", image.key))
    return Outcome(replace(scene, images=tuple(images)), tuple(remarks))


register(
    Step(
        id="resize",
        name="Sizes",
        desk="surface",
        order=88,
        phase="form",
        about="Resizes textures to powers of two within a limit: colours in linear light, normals kept one long.",
        settings=Resize,
        targets="images",
        apply=_apply,
        summary=lambda s: ("2ⁿ, " if s.power_of_two else "") + f"≤ {s.limit} px",
        plural=True,
        placements=True,
    )
)
