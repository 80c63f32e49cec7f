"""Formats that Pillow reads and writes: header facts without decoding, pixels as they are, levels to
bytes.
"""

from __future__ import annotations

import io
import struct
import warnings
from typing import Any

import numpy as np
import numpy.typing as npt
import PIL.Image

from customs.errors import ReadError
from customs.surface.files.base import ImageInfo, Pixels, Space

PIL.Image.MAX_IMAGE_PIXELS = None  # our own limit is checked before anything is decoded
CHANNELS = {
    "1": 1,
    "L": 1,
    "P": 4,
    "RGB": 3,
    "RGBA": 4,
    "LA": 2,
    "CMYK": 3,
    "YCbCr": 3,
    "I": 1,
    "I;16": 1,
    "I;16B": 1,
}
BROKEN = (
    OSError,
    ValueError,
    SyntaxError,
    TypeError,
    EOFError,
    ZeroDivisionError,
    OverflowError,
    IndexError,
    struct.error,
)


def opened(data: bytes, name: str, title: str) -> PIL.Image.Image:
    """The picture, its header read. Raises ReadError."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return PIL.Image.open(io.BytesIO(data), formats=(name,))
    except BROKEN as problem:
        raise ReadError(
            f"image header is broken ({problem})", f"a whole {title} file", "Export it again."
        ) from None


def header(data: bytes, name: str, title: str, form: str, space: Space = "") -> ImageInfo:
    """Header facts. Raises ReadError."""
    picture = opened(data, name, title)
    channels = CHANNELS.get(picture.mode, 3)
    if picture.mode in ("P", "L", "RGB") and "transparency" in picture.info:
        channels = 2 if picture.mode == "L" else 4
    elif picture.mode == "P":
        channels = 3
    bits = 16 if picture.mode.startswith("I") else 8
    return ImageInfo(picture.size[0], picture.size[1], channels, bits, form, space)


def pictures(data: bytes, name: str, title: str) -> int:
    """How many pictures a file holds one after another, as far as they can be told apart. Raises ReadError
    for its header.
    """
    picture = opened(data, name, title)
    try:
        return int(getattr(picture, "n_frames", 1))
    except BROKEN:
        # The first, which is taken, is before what is broken.
        return picture.tell() + 1


def decoded(data: bytes, name: str, title: str) -> Pixels:
    """Pixels (H, W, C) uint8, or uint16 for sixteen-bit greys. Raises ReadError."""
    facts = header(data, name, title, "")
    picture = opened(data, name, title)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            if facts.bits == 16:
                return np.asarray(picture).astype(np.uint16).reshape(facts.height, facts.width, -1)
            mode = {1: "L", 2: "LA", 3: "RGB", 4: "RGBA"}[facts.channels]
            return np.asarray(picture.convert(mode)).reshape(facts.height, facts.width, -1)
    except BROKEN as problem:
        raise ReadError(f"image data is broken ({problem})", "a whole image", "Export it again.") from None


def to_eight(pixels: Pixels) -> npt.NDArray[np.uint8]:
    """Eight bits a channel: sixteen are divided by 257 and rounded, so that the ends stay ends."""
    if pixels.dtype == np.uint16:
        return ((pixels.astype(np.uint32) + 128) // 257).astype(np.uint8)
    return pixels


def saved(pixels: Pixels, name: str, **options: Any) -> bytes:
    """File bytes of pixels (H, W, 1 to 4)."""
    flat = pixels[:, :, 0] if pixels.shape[2] == 1 else pixels
    out = io.BytesIO()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        PIL.Image.fromarray(np.ascontiguousarray(flat)).save(out, name, **options)
    return out.getvalue()


def no_lone_grey_alpha(pixels: Pixels) -> Pixels:
    """Grey with alpha as colour with alpha, for formats that do not know the pair."""
    if pixels.shape[2] != 2:
        return pixels
    return np.concatenate([np.repeat(pixels[:, :, :1], 3, axis=2), pixels[:, :, 1:]], axis=2)
