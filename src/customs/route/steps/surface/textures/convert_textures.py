"""Formats: the files textures are delivered in, with their compression and mip levels."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from customs.changes.roles import roles_of_images
from customs.formats.image_write import delivered_form
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import COLOUR_SLOTS, Image, Remark, Scene
from customs.scene.settings import Targeted
from customs.scene.wishes import Delivery, Wishes
from customs.surface.files.base import texture_format
from customs.surface.files.pillow import to_eight
from customs.surface.pixels import image_info, pixels_or_none

Form = Literal["png", "jpeg", "tga", "bmp", "webp", "dds", "ktx2"]
Block = Literal["", "bc1", "bc3", "bc4", "bc5", "bc7"]


class ConvertTextures(Targeted):
    """The format, the bits, the compression."""

    form: Form = Field(default="png", description="file format")
    accept: tuple[str, ...] = Field(default=(), description="formats left as they are")
    bits: Literal[8, 16] = Field(default=8, description="most bits a channel")
    block: Block = Field(
        default="", description="block compression of DDS and KTX2; nothing for plain pixels"
    )
    quality: Literal["quick", "best"] = Field(default="best", description="of block compression")
    mips: bool = Field(default=False, description="mip levels in DDS and KTX2")
    header: Literal["dx10", "legacy"] = Field(default="dx10", description="kind of DDS header")
    zstd: bool = Field(default=False, description="pack the levels of KTX2")
    also: tuple[Form, ...] = Field(default=(), description="further files of each texture, in these formats")


Files = tuple[Delivery, ...]


def _one(
    image: Image, had: Wishes, settings: ConvertTextures, slots: set[str]
) -> tuple[Image, Files, Remark | None]:
    """(the image, the files wished of it if others than it had, what was done)."""
    info, wished = image_info(image), had.of(image.key)
    if info is None:
        return image, (), None
    s, now = settings, delivered_form(image, had)
    entry = texture_format(s.form)
    keep = now in (s.accept or (s.form,)) and not (entry.mips and (s.block or s.mips))
    also = tuple(Delivery(f) for f in s.also if f != s.form)
    if keep and info.bits <= s.bits and wished[1:] == also:
        return image, (), None
    form = now if keep else s.form
    block = s.block if s.block in entry.blocks and not keep else ""
    wanted = Delivery(
        form, block, s.quality, s.mips and entry.mips and not keep, s.header, s.zstd and form == "ktx2"
    )
    wanted = had.first(image.key) or Delivery(form) if keep else wanted
    space = image.space
    if not keep and entry.mips and not space:
        # These formats always say which it is; what a texture is used for decides.
        space = "srgb" if slots & set(COLOUR_SLOTS) else "linear"
    out = image if space == image.space else replace(image, space=space)
    pixels = pixels_or_none(image)
    if info.bits > s.bits and pixels is not None:
        out = replace(out, pixels=frozen(to_eight(pixels), np.uint8))
    lost = "; alpha lost" if not texture_format(form).alpha and info.has_alpha else ""
    bits = f", {info.bits} → {s.bits} bits" if info.bits > s.bits else ""
    more = (f" {block.upper()}" if block else "") + (" with mips" if wanted.mips else "")
    more += "".join(f" and {f.form.upper()}" for f in also)
    came = now if image.pixels is not None else info.form
    return out, (wanted, *also), Remark(f"{came.upper()} → {form.upper()}{more}{bits}{lost}", image.key)


def _apply(scene: Scene, settings: ConvertTextures, resources: Content, job: Job) -> Outcome:
    roles = roles_of_images(scene)
    images, remarks = list[Image](), list[Remark]()
    files: dict[Key, Files] = {}
    for i, image in enumerate(scene.images):
        job.check()
        if settings.takes(image.key, image.name, image.made_from):
            image, wished, remark = _one(image, scene.wishes, settings, roles.get(i, set()))
            if remark is not None:
                files[image.key] = wished
                remarks.append(remark)
        images.append(image)
    if not files:
        return Outcome(scene)
    return Outcome(
        replace(scene, images=tuple(images), wishes=scene.wishes.with_textures(files)), tuple(remarks)
    )


register(
    Step(
        id="convert-textures",
        name="Formats",
        desk="surface",
        order=90,
        phase="form",
        about="Chooses the file format textures are delivered in, their block compression, mip levels and further copies.",
        settings=ConvertTextures,
        targets="images",
        apply=_apply,
        summary=lambda s: f"→ {s.form.upper()}{' ' + s.block.upper() if s.block else ''}"[:18],
        plural=True,
        placements=True,
    )
)
