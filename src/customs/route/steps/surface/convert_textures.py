"""Convert textures: another file format at delivery."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from customs.route.step import Content, Job, Outcome, Step, Targeted, register
from customs.scene.arrays import frozen
from customs.scene.model import Image, Remark, Scene
from customs.surface.pixels import image_info, pixels_or_none


class ConvertTextures(Targeted):
    """The format and the bits."""

    form: Literal["png", "jpeg", "tga"] = Field(default="png", description="file format")
    accept: tuple[str, ...] = Field(default=(), description="formats left as they are")
    bits: Literal[8, 16] = Field(default=8, description="most bits a channel")


def _one(image: Image, settings: ConvertTextures) -> tuple[Image, Remark | None]:
    info = image_info(image)
    if info is None:
        return image, None
    keep = info.form in (settings.accept or (settings.form,))
    if keep and info.bits <= settings.bits:
        return image, None
    form = info.form if keep else settings.form
    out = replace(image, form=form)
    pixels = pixels_or_none(image)
    if info.bits > settings.bits and pixels is not None:
        # Divided by 257 and rounded, so that 65,535 becomes 255 and the ends stay ends.
        small = ((pixels.astype(np.uint32) + 128) // 257).astype(np.uint8)
        out = replace(out, pixels=frozen(small, np.uint8))
    lost = "; alpha lost" if form == "jpeg" and info.has_alpha else ""
    bits = f", {info.bits} → {settings.bits} bits" if info.bits > settings.bits else ""
    return out, Remark(f"{info.form.upper()} → {form.upper()}{bits}{lost}", image.key)


def _apply(scene: Scene, settings: ConvertTextures, resources: Content, job: Job) -> Outcome:
    images, remarks = [], []
    for image in scene.images:
        job.check()
        if settings.takes(image.key, image.name, image.made_from):
            image, remark = _one(image, settings)
            remarks += [remark] if remark else []
        images.append(image)
    return Outcome(replace(scene, images=tuple(images)), tuple(remarks))


register(
    Step(
        id="convert-textures",
        name="Formats",
        desk="surface",
        order=72,
        about="Chooses the file format textures are delivered in.",
        settings=ConvertTextures,
        apply=_apply,
        summary=lambda s: f"→ {s.form.upper()}",
    )
)
