"""DDS: legacy FourCC and channel masks, the DX10 header, BC1 to BC7. Source: the published header tables of the format."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from customs.errors import ReadError, UnsupportedError
from customs.surface.blocks import BLOCK_BYTES, BLOCK_CHANNELS, level_bytes
from customs.surface.blocks.decode import decode_level
from customs.surface.blocks.encode import encode_level
from customs.surface.files.base import Coding, ImageInfo, Pixels, Space, TextureFormat, register
from customs.surface.files.mips import four_channels, plausible
from customs.surface.files.pillow import to_eight

MARK = b"DDS "
FOURCC = {
    b"DXT1": "bc1", b"DXT2": "bc2", b"DXT3": "bc2", b"DXT4": "bc3", b"DXT5": "bc3", b"ATI1": "bc4", b"BC4U": "bc4",
    b"BC4S": "bc4", b"ATI2": "bc5", b"BC5U": "bc5", b"BC5S": "bc5",
}  # fmt: skip
SIGNED_FOURCC = (b"BC4S", b"BC5S")
LEGACY = {"bc1": b"DXT1", "bc3": b"DXT5", "bc4": b"ATI1", "bc5": b"ATI2"}
# DXGI format numbers: (block, colour space, signed)
DXGI_BLOCKS: dict[int, tuple[str, Space, bool]] = {
    71: ("bc1", "linear", False), 72: ("bc1", "srgb", False), 74: ("bc2", "linear", False), 75: ("bc2", "srgb", False),
    77: ("bc3", "linear", False), 78: ("bc3", "srgb", False), 80: ("bc4", "linear", False), 81: ("bc4", "linear", True),
    83: ("bc5", "linear", False), 84: ("bc5", "linear", True), 98: ("bc7", "linear", False), 99: ("bc7", "srgb", False),
}  # fmt: skip
# DXGI numbers of plain pixels: (bytes a channel, order of the channels, colour space)
DXGI_PLAIN: dict[int, tuple[int, str, Space]] = {
    28: (1, "rgba", "linear"), 29: (1, "rgba", "srgb"), 87: (1, "bgra", "linear"), 91: (1, "bgra", "srgb"),
    88: (1, "bgrx", "linear"), 93: (1, "bgrx", "srgb"), 61: (1, "r", "linear"), 49: (1, "rg", "linear"),
    56: (2, "r", "linear"), 35: (2, "rg", "linear"), 11: (2, "rgba", "linear"),
}  # fmt: skip
DXGI_OF = {(b, s): n for n, (b, s, signed) in DXGI_BLOCKS.items() if not signed} | {("", "linear"): 28, ("", "srgb"): 29}
HALF_FLOAT = {95: "BC6H", 96: "BC6H", 10: "half float", 2: "float", 24: "10-bit"}
CAPS_TEXTURE, CAPS_MIPS, CAPS2_CUBE, CAPS2_VOLUME = 0x1000, 0x400008, 0xFE00, 0x200000
PIXELS_ALPHA, PIXELS_FOURCC, PIXELS_RGB, PIXELS_GREY, PIXELS_ONLY_ALPHA = 1, 4, 0x40, 0x20000, 2


@dataclass(frozen=True)
class _Head:
    """The header, read and checked."""

    width: int
    height: int
    levels: int
    at: int
    block: str = ""
    space: Space = ""
    signed: bool = False
    plain: tuple[int, str] = (0, "")
    bits: int = 0
    masks: tuple[int, int, int, int] = (0, 0, 0, 0)

    @property
    def channels(self) -> int:
        """Channels a pixel decodes to."""
        if self.block:
            return BLOCK_CHANNELS[self.block]
        if self.plain[1]:
            return len(self.plain[1].replace("x", ""))
        if not any(self.masks[1:3]):
            return 1 if not (self.masks[0] and self.masks[3]) else 2
        return 4 if self.masks[3] else 3


def _head(data: bytes) -> _Head:
    if len(data) < 128:
        raise ReadError(f"{len(data)} bytes", "a header of 128", "Export it again.")
    size, _, height, width, _, depth, levels = struct.unpack_from("<7I", data, 4)
    pixel_size, flags, fourcc, bits, *masks = struct.unpack_from("<2I4s5I", data, 76)
    _, caps2 = struct.unpack_from("<2I", data, 108)
    if size != 124 or pixel_size != 32:
        raise ReadError(f"header sizes {size} and {pixel_size}", "124 and 32", "Export it again.")
    if caps2 & CAPS2_CUBE or caps2 & CAPS2_VOLUME or (depth > 1 and flags):
        what = "a cube map" if caps2 & CAPS2_CUBE else "a volume"
        raise UnsupportedError(f"{what} in a DDS file", "one flat texture", "Export each face or slice apart.")
    plausible(width, height)
    levels = min(max(levels, 1), 32)
    if not flags & PIXELS_FOURCC:
        # Without FourCC the channels are told by masks; alpha counts only where the flags say so.
        masks[3] = masks[3] if flags & (PIXELS_ALPHA | PIXELS_ONLY_ALPHA) else 0
        return _masked(_Head(width, height, levels, 128, bits=bits, masks=tuple(masks[:4])))
    if fourcc == b"DX10":
        return _dx10(data, width, height, levels)
    if fourcc not in FOURCC:
        name = fourcc.decode("latin-1") if fourcc.isalnum() else fourcc.hex()
        raise UnsupportedError(f"DDS pixels of kind {name}", "BC1 to BC5, BC7 or plain pixels", "Export it as one of these.")
    return _Head(width, height, levels, 128, FOURCC[fourcc], "", fourcc in SIGNED_FOURCC)


def _masked(head: _Head) -> _Head:
    if head.bits not in (8, 16, 24, 32) or not any(head.masks):
        raise UnsupportedError(
            f"DDS pixels of {head.bits} bits with masks {head.masks}", "8 to 32 bits with masks", "Export it again."
        )
    return head


def _dx10(data: bytes, width: int, height: int, levels: int) -> _Head:
    if len(data) < 148:
        raise ReadError(f"{len(data)} bytes", "a DX10 header of 148", "Export it again.")
    number, dimension, misc, count, _ = struct.unpack_from("<5I", data, 128)
    if misc & 4 or count > 1 or dimension != 3:
        what = "a cube map" if misc & 4 else f"an array of {count}" if count > 1 else f"dimension {dimension}"
        raise UnsupportedError(f"{what} in a DDS file", "one flat texture", "Export each one apart.")
    if number in DXGI_BLOCKS:
        block, space, signed = DXGI_BLOCKS[number]
        return _Head(width, height, levels, 148, block, space, signed)
    if number in DXGI_PLAIN:
        size, order, space = DXGI_PLAIN[number]
        return _Head(width, height, levels, 148, space=space, plain=(size, order), bits=8 * size * len(order))
    name = HALF_FLOAT.get(number, f"number {number}")
    raise UnsupportedError(f"DDS pixels of DXGI format {name}", "BC1 to BC5, BC7 or 8 and 16-bit pixels", "Export it again.")


def _info(data: bytes) -> ImageInfo:
    head = _head(data)
    bits = 16 if head.plain[0] == 2 else 8
    return ImageInfo(head.width, head.height, head.channels, bits, "dds", head.space, head.block, head.levels)


def _size(head: _Head, width: int, height: int) -> int:
    return level_bytes(width, height, head.block) if head.block else width * height * head.bits // 8


def _decode_levels(data: bytes, most: int = 32) -> list[Pixels]:
    head, out = _head(data), []
    at, width, height = head.at, head.width, head.height
    for level in range(min(head.levels, most)):
        size = _size(head, width, height)
        if at + size > len(data):
            raise ReadError(
                f"level {level} ends at byte {at + size:,} of {len(data):,}", "a whole file", "It was cut off: copy it again."
            )
        part = memoryview(data)[at : at + size]
        out.append(
            decode_level(part, width, height, head.block, head.signed) if head.block else _plain(part, head, width, height)
        )
        at, width, height = at + size, max(1, width // 2), max(1, height // 2)
    return out


def _plain(part: memoryview, head: _Head, width: int, height: int) -> Pixels:
    if head.plain[1]:
        size, order = head.plain
        values = np.frombuffer(part, np.uint8 if size == 1 else "<u2").reshape(height, width, len(order))
        wanted = [order.index(c) for c in "rgba" if c in order]
        return np.ascontiguousarray(values[:, :, wanted])
    step = head.bits // 8
    raw = np.zeros((height * width, 4), np.uint8)
    raw[:, :step] = np.frombuffer(part, np.uint8).reshape(-1, step)
    words = raw.view("<u4")[:, 0]
    used = [m for m in head.masks if m]
    return np.stack([_field(words, m) for m in used], axis=-1).reshape(height, width, len(used))


def _field(words: Any, mask: int) -> Any:
    """One channel in eight bits: the field under `mask`, stretched so that all ones is 255."""
    low = (mask & -mask).bit_length() - 1
    most = mask >> low
    value = (words & np.uint32(mask)) >> np.uint32(low)
    return ((value.astype(np.uint64) * 255 + most // 2) // most).astype(np.uint8)


def _encode(levels: Sequence[Pixels], coding: Coding) -> bytes:
    levels = [four_channels(to_eight(p)) for p in levels]
    height, width = levels[0].shape[:2]
    space = coding.space or "linear"
    legacy = coding.header == "legacy" and coding.block != "bc7"
    parts: list[bytes] = []
    for p in levels:
        # Pixels of the smallest levels are the same share of the work as of the file.
        parts.append(encode_level(p, coding.block, coding.quality) if coding.block else p.tobytes())
        coding.tick(sum(len(x) for x in parts) / max(1, sum(q.size for q in levels)))
    size = len(parts[0]) if coding.block else width * 4
    flags = 0x1007 | (0x80000 if coding.block else 8) | (0x20000 if len(levels) > 1 else 0)
    out = bytearray(MARK + struct.pack("<7I44x", 124, flags, height, width, size, 0, len(levels)))
    if not coding.block and legacy:
        out += struct.pack("<2I4s5I", 32, PIXELS_RGB | PIXELS_ALPHA, b"", 32, 0xFF, 0xFF00, 0xFF0000, 0xFF000000)
    else:
        out += struct.pack("<2I4s5I", 32, PIXELS_FOURCC, LEGACY[coding.block] if legacy else b"DX10", 0, 0, 0, 0, 0)
    out += struct.pack("<5I", CAPS_TEXTURE | (CAPS_MIPS if len(levels) > 1 else 0), 0, 0, 0, 0)
    if not legacy:
        known = space if (coding.block, space) in DXGI_OF else "linear"
        out += struct.pack("<5I", DXGI_OF[(coding.block, known)], 3, 0, 1, 0)
    return bytes(out) + b"".join(parts)


register(
    TextureFormat(
        id="dds",
        title="DDS",
        endings=(".dds",),
        mime="image/vnd-ms.dds",
        looks_like=lambda data: data[:4] == MARK,
        info=_info,
        decode=lambda data: _decode_levels(data, 1)[0],
        encode=_encode,
        decode_levels=_decode_levels,
        mips=True,
        blocks=tuple(b for b in BLOCK_BYTES if b not in ("bc2", "bc6h")),
    )
)
