"""JPEG. Source: ITU-T T.81; read and written by Pillow."""

from __future__ import annotations

from collections.abc import Sequence

from customs.surface.files.base import Coding, ImageInfo, Pixels, TextureFormat, register
from customs.surface.files.pillow import decoded, header, saved, to_eight

QUALITY = 92


def _info(data: bytes) -> ImageInfo:
    return header(data, "JPEG", "JPEG", "jpeg")


def _encode(levels: Sequence[Pixels], coding: Coding) -> bytes:
    pixels = to_eight(levels[0])
    if pixels.shape[2] in (2, 4):
        pixels = pixels[:, :, :-1]
    return saved(pixels, "JPEG", quality=QUALITY, subsampling=0)


register(
    TextureFormat(
        id="jpeg",
        title="JPEG",
        endings=(".jpg", ".jpeg"),
        mime="image/jpeg",
        looks_like=lambda data: data[:3] == b"\xff\xd8\xff",
        info=_info,
        decode=lambda data: decoded(data, "JPEG", "JPEG"),
        encode=_encode,
        alpha=False,
    )
)
