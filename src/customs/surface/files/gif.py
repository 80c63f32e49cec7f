"""GIF, read by Pillow: its first picture."""

from __future__ import annotations

from dataclasses import replace

from customs.surface.files.base import ImageInfo, TextureFormat, register
from customs.surface.files.pillow import decoded, header, pictures


def _info(data: bytes) -> ImageInfo:
    return replace(header(data, "GIF", "GIF", "gif"), pictures=pictures(data, "GIF", "GIF"))


register(
    TextureFormat(
        id="gif",
        title="GIF",
        endings=(".gif",),
        mime="image/gif",
        looks_like=lambda data: data[:6] in (b"GIF87a", b"GIF89a"),
        info=_info,
        decode=lambda data: decoded(data, "GIF", "GIF"),
    )
)
