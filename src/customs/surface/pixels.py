"""Looking into images: header facts without decoding, pixels on demand."""

from __future__ import annotations

from typing import Any

import numpy.typing as npt

from customs.errors import CustomsError, LimitError, ReadError
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.kept import kept
from customs.scene.model import Image
from customs.surface.files.base import ImageInfo, Space, recognise, texture_format, texture_formats
from customs.surface.room import need_room
from customs.tolerances import DECODING, IMAGE_PIXELS, UNPACKING


def endings() -> dict[str, str]:
    """The usual ending of each format, with its dot."""
    return {f.id: f.endings[0] for f in texture_formats().values()}


def _read(content: Encoded) -> bytes:
    try:
        return content.read()
    except OSError as problem:
        raise ReadError(f"cannot be read ({problem})", "a readable image") from None


def content_info(content: Encoded) -> ImageInfo:
    """Header facts of encoded bytes. Raises ReadError, LimitError, UnsupportedError."""
    return kept("header", content, lambda: _content_info(content))


def _content_info(content: Encoded) -> ImageInfo:
    data = _read(content)
    info = recognise(data).info(data)
    if info.width * info.height > IMAGE_PIXELS:
        raise LimitError(f"image of {info.width} × {info.height} pixels", f"at most {IMAGE_PIXELS:,} pixels")
    size = info.width * info.height * info.channels * max(1, info.bits // 8)
    need_room(info.width, info.height, size, DECODING, "decoding")
    if info.width * info.height > UNPACKING * max(len(data), 1024):
        raise LimitError(
            f"{len(data):,} bytes said to be {info.width} × {info.height} pixels",
            f"at most {UNPACKING} pixels a byte",
            "The file is damaged or made to do harm: export it again.",
        )
    return info


def image_info(image: Image) -> ImageInfo | None:
    """Header facts of an image as it stands, or None when it has neither pixels nor readable bytes."""
    if image.pixels is not None:
        height, width, channels = image.pixels.shape
        form = content_info(image.content).form if image.content is not None else "png"
        return ImageInfo(width, height, channels, image.pixels.dtype.itemsize * 8, form)
    if image.content is None or image.problem:
        return None
    return content_info(image.content)


def stated_space(image: Image) -> Space:
    """The colour space the image is marked with: by a step, else by its file; "" when nothing says."""
    if image.space:
        return image.space
    info = image_info(image)
    return info.space if info is not None else ""


def image_pixels(image: Image) -> npt.NDArray[Any]:
    """Pixels (H, W, C) uint8 or uint16, read-only, rows from the top. Raises ReadError, LimitError,
    UnsupportedError.
    """
    if image.pixels is not None:
        return image.pixels
    if image.content is None:
        raise ReadError(image.problem or "no image data", file=image.uri or image.name)
    content = image.content
    return kept("pixels", content, lambda: _decoded(content))


def _decoded(content: Encoded) -> npt.NDArray[Any]:
    out = texture_format(content_info(content).form).decode(_read(content))
    return frozen(out, out.dtype)


def pixels_or_none(image: Image) -> npt.NDArray[Any] | None:
    """Pixels, or None when the image is missing or broken."""
    try:
        return image_pixels(image)
    except CustomsError:
        return None


def probe(image: Image) -> str:
    """Why the image cannot be used, or "" when its header reads well."""
    if image.problem or image.content is None:
        return image.problem
    try:
        content_info(image.content)
    except CustomsError as problem:
        return str(problem)
    return ""
