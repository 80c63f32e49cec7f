"""Encoding textures: PNG, JPEG, TGA."""

from __future__ import annotations

import io
import warnings
from typing import Any

import numpy as np
import PIL.Image

from customs.errors import WriteError
from customs.scene.model import Image
from customs.surface.pixels import image_info, image_pixels

WRITABLE = ("png", "jpeg", "tga")
MODES = {1: "L", 2: "LA", 3: "RGB", 4: "RGBA"}
JPEG_QUALITY = 92


def delivered_form(image: Image) -> str:
    """The file format an image will be written in."""
    if image.form:
        return image.form
    info = image_info(image)
    return info.form if info else "png"


def encode(image: Image) -> bytes:
    """The image as file bytes. Source bytes go out untouched when neither pixels nor format changed.

    Raises ReadError for an image that cannot be decoded, WriteError for a format that cannot be written.
    """
    form = delivered_form(image)
    if image.pixels is None and image.content is not None:
        info = image_info(image)
        if info is not None and info.form == form:
            return image.content.read()
    if form not in WRITABLE:
        raise WriteError(f"{form} cannot be written", "PNG, JPEG or TGA", "Add Convert textures.", image.uri or image.name)
    pixels = image_pixels(image)
    if pixels.dtype == np.uint16 and (form != "png" or pixels.shape[2] != 1):
        pixels = (pixels >> 8).astype(np.uint8)
    if form == "jpeg" and pixels.shape[2] in (2, 4):
        pixels = pixels[:, :, :-1]
    if form == "tga" and pixels.shape[2] == 2:
        pixels = np.concatenate([np.repeat(pixels[:, :, :1], 3, axis=2), pixels[:, :, 1:]], axis=2)
    if pixels.dtype == np.uint16:
        picture = PIL.Image.fromarray(pixels[:, :, 0])
    else:
        channels = pixels.shape[2]
        picture = PIL.Image.fromarray(np.ascontiguousarray(pixels[:, :, 0] if channels == 1 else pixels))
    out = io.BytesIO()
    options: dict[str, dict[str, Any]] = {
        "jpeg": {"quality": JPEG_QUALITY, "subsampling": 0},
        "png": {"compress_level": 6},
        "tga": {"rle": True},
    }
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        picture.save(out, form.upper(), **options[form])
    return out.getvalue()
