"""WebP, read and written by Pillow, without loss."""

from __future__ import annotations

from collections.abc import Sequence

from customs.surface.files.base import Coding, ImageInfo, Pixels, TextureFormat, register
from customs.surface.files.pillow import decoded, header, no_lone_grey_alpha, saved, to_eight


def _info(data: bytes) -> ImageInfo:
    return header(data, "WEBP", "WebP", "webp")


def _encode(levels: Sequence[Pixels], coding: Coding) -> bytes:
    pixels = no_lone_grey_alpha(to_eight(levels[0]))
    # Colours under clear pixels are kept as well: they are bled there for a reason.
    return saved(pixels, "WEBP", lossless=True, exact=True)


register(
    TextureFormat(
        id="webp",
        title="WebP",
        endings=(".webp",),
        mime="image/webp",
        looks_like=lambda data: data[:4] == b"RIFF" and data[8:12] == b"WEBP",
        info=_info,
        decode=lambda data: decoded(data, "WEBP", "WebP"),
        encode=_encode,
    )
)
