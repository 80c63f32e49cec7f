"""What a texture file format is, and the registry of all of them, found by content."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy.typing as npt

from customs.errors import ReadError
from customs.registry import Registry
from customs.surface.blocks.encode import Quality

Pixels = npt.NDArray[Any]
SUPERCOMPRESSED = ("etc1s", "uastc")
"""Ways a KTX2 texture may be packed that are read and not written: what wishes for no block gets pixels."""
Space = Literal["", "srgb", "linear"]


@dataclass(frozen=True)
class ImageInfo:
    """Header facts: size in pixels, channel count, bits a channel, file format (`png`, `jpeg`, …).

    `space` is what the file says of its colour space, "" when it says nothing; `block` its block compression,
    "" for none; `levels` how many mip levels it holds, `pictures` how many pictures one after another (the
    first is taken).
    """

    width: int
    height: int
    channels: int
    bits: int
    form: str
    space: Space = ""
    block: str = ""
    levels: int = 1
    pictures: int = 1
    light: bool = False
    """Its numbers are amounts of light: as sRGB they are others."""

    @property
    def has_alpha(self) -> bool:
        """True with two or four channels."""
        return self.channels in (2, 4) and self.block != "bc5"


@dataclass(frozen=True)
class Coding:
    """How a texture is written: block compression and its quality, and the colour space the file states."""

    block: str = ""
    quality: Quality = "best"
    space: Space = ""
    header: Literal["dx10", "legacy"] = "dx10"
    zstd: bool = False
    tick: Callable[[float], None] = lambda share: None


@dataclass(frozen=True)
class TextureFormat:
    """One file format. `encode` gets levels (H, W, C) uint8 or uint16, the largest first; formats without
    mips get one.
    """

    id: str
    title: str
    endings: tuple[str, ...]
    mime: str
    looks_like: Callable[[bytes], bool]
    info: Callable[[bytes], ImageInfo]
    decode: Callable[[bytes], Pixels]
    encode: Callable[[Sequence[Pixels], Coding], bytes] | None = None
    decode_levels: Callable[[bytes], list[Pixels]] | None = None
    mips: bool = False
    blocks: tuple[str, ...] = ()
    outside: Callable[[bytes], float] | None = None
    """Share of pixels that are clipped when the file is decoded, for formats without bounds."""
    sixteen: tuple[int, ...] = ()
    """Channel counts it keeps in sixteen bits."""
    alpha: bool = True
    weak: bool = False
    """Content alone hardly tells it: asked after all others."""


FORMATS = Registry[TextureFormat]("the texture formats", "customs.surface.files")
register = FORMATS.add


def texture_formats() -> dict[str, TextureFormat]:
    """All texture formats by id."""
    return FORMATS.all()


def texture_format(id_: str) -> TextureFormat:
    """The format called `id_`. Raises KeyError."""
    return FORMATS[id_]


def recognise(data: bytes) -> TextureFormat:
    """The format of some bytes. Raises ReadError."""
    for entry in sorted(texture_formats().values(), key=lambda f: f.weak):
        if entry.looks_like(data):
            return entry
    names = ", ".join(f.title for f in texture_formats().values())
    raise ReadError("not a readable image", names, "Convert it to one of these.")
