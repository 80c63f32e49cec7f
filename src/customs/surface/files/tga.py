"""TGA, plain and run-length coded. Source: Truevision TGA file format specification, version 2.0."""

from __future__ import annotations

from collections.abc import Sequence

from customs.surface.files.base import Coding, ImageInfo, Pixels, TextureFormat, register
from customs.surface.files.pillow import decoded, header, no_lone_grey_alpha, saved, to_eight

KINDS = (1, 2, 3, 9, 10, 11)


def _looks_like(data: bytes) -> bool:
    """The format has no mark at its front: its fields must make sense together."""
    return len(data) >= 18 and data[1] < 2 and data[2] in KINDS and data[16] in (1, 8, 15, 16, 24, 32)


def _info(data: bytes) -> ImageInfo:
    return header(data, "TGA", "TGA", "tga")


def _encode(levels: Sequence[Pixels], coding: Coding) -> bytes:
    return saved(no_lone_grey_alpha(to_eight(levels[0])), "TGA", rle=True)


register(
    TextureFormat(
        id="tga",
        title="TGA",
        endings=(".tga",),
        mime="image/x-tga",
        looks_like=_looks_like,
        info=_info,
        decode=lambda data: decoded(data, "TGA", "TGA"),
        encode=_encode,
        weak=True,
    )
)
