"""BMP, read and written by Pillow."""

from __future__ import annotations

from collections.abc import Sequence

from customs.surface.files.base import Coding, ImageInfo, Pixels, TextureFormat, register
from customs.surface.files.pillow import decoded, header, no_lone_grey_alpha, saved, to_eight


def _info(data: bytes) -> ImageInfo:
    return header(data, "BMP", "BMP", "bmp")


def _encode(levels: Sequence[Pixels], coding: Coding) -> bytes:
    return saved(no_lone_grey_alpha(to_eight(levels[0])), "BMP")


register(
    TextureFormat(
        id="bmp",
        title="BMP",
        endings=(".bmp",),
        mime="image/bmp",
        looks_like=lambda data: data[:2] == b"BM",
        info=_info,
        decode=lambda data: decoded(data, "BMP", "BMP"),
        encode=_encode,
    )
)
