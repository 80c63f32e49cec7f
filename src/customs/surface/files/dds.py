"""DDS: legacy FourCC and channel masks, the DX10 header, BC1 to BC7. Source: the published header tables of
the format.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from customs.errors import ReadError, UnsupportedError
from customs.surface.blocks import BLOCK_BYTES, BLOCK_CHANNELS, level_bytes
from customs.surface.blocks.decode import decode_level
from customs.surface.blocks.encode import encode_level
from customs.surface.files.base import Coding, ImageInfo, Pixels, Space, TextureFormat, register
from customs.surface.files.layout import read_record, write_record
from customs.surface.files.mips import four_channels, plausible
from customs.surface.files.pillow import to_eight

MARK = b"DDS "
HEADER = np.dtype([
    ("mark", "S4"), ("size", "<u4"), ("flags", "<u4"), ("height", "<u4"), ("width", "<u4"), ("pitch", "<u4"), ("depth", "<u4"),
    ("levels", "<u4"), ("reserved", "<u4", 11), ("pixel_size", "<u4"), ("pixel_flags", "<u4"), ("fourcc", "V4"), ("bits", "<u4"),
    ("masks", "<u4", 4), ("caps", "<u4"), ("caps2", "<u4"), ("rest", "<u4", 3),
])  # fmt: skip
"""DDS_HEADER with its mark and its DDS_PIXELFORMAT."""
HEADER_SIZE, PIXELS_SIZE = 124, 32
DX10 = np.dtype(
    [("format", "<u4"), ("dimension", "<u4"), ("misc", "<u4"), ("count", "<u4"), ("misc2", "<u4")]
)
"""DDS_HEADER_DXT10, right behind it."""
FLAT = 3
"""The dimension of a flat texture."""
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
DXGI_OF = {(b, s): n for n, (b, s, signed) in DXGI_BLOCKS.items() if not signed} | {
    ("", "linear"): 28,
    ("", "srgb"): 29,
}
HALF_FLOAT = {95: "BC6H", 96: "BC6H", 10: "half float", 2: "float", 24: "10-bit"}
SAYS_SIZE, SAYS_PITCH, SAYS_LEVELS, SAYS_BYTES = 0x1007, 8, 0x20000, 0x80000
CAPS_TEXTURE, CAPS_MIPS, CAPS2_CUBE, CAPS2_VOLUME = 0x1000, 0x400008, 0xFE00, 0x200000
DX10_CUBE = 4
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
    if len(data) < HEADER.itemsize:
        raise ReadError(f"{len(data)} bytes", f"a header of {HEADER.itemsize}", "Export it again.")
    said = read_record(HEADER, data)
    width, height, flags, fourcc, masks = (
        said["width"],
        said["height"],
        said["pixel_flags"],
        bytes(said["fourcc"]),
        said["masks"],
    )
    if (said["size"], said["pixel_size"]) != (HEADER_SIZE, PIXELS_SIZE):
        found = f"header sizes {said['size']} and {said['pixel_size']}"
        raise ReadError(found, f"{HEADER_SIZE} and {PIXELS_SIZE}", "Export it again.")
    if said["caps2"] & (CAPS2_CUBE | CAPS2_VOLUME) or (said["depth"] > 1 and flags):
        what = "a cube map" if said["caps2"] & CAPS2_CUBE else "a volume"
        raise UnsupportedError(
            f"{what} in a DDS file", "one flat texture", "Export each face or slice apart."
        )
    plausible(width, height)
    levels = min(max(said["levels"], 1), 32)
    if not flags & PIXELS_FOURCC:
        # Without FourCC the channels are told by masks; alpha counts only where the flags say so.
        masks[3] = masks[3] if flags & (PIXELS_ALPHA | PIXELS_ONLY_ALPHA) else 0
        return _masked(_Head(width, height, levels, HEADER.itemsize, bits=said["bits"], masks=tuple(masks)))
    if fourcc == b"DX10":
        return _dx10(data, width, height, levels)
    if fourcc not in FOURCC:
        name = fourcc.decode("latin-1") if fourcc.isalnum() else fourcc.hex()
        raise UnsupportedError(
            f"DDS pixels of kind {name}", "BC1 to BC5, BC7 or plain pixels", "Export it as one of these."
        )
    return _Head(width, height, levels, HEADER.itemsize, FOURCC[fourcc], "", fourcc in SIGNED_FOURCC)


def _masked(head: _Head) -> _Head:
    if head.bits not in (8, 16, 24, 32) or not any(head.masks):
        raise UnsupportedError(
            f"DDS pixels of {head.bits} bits with masks {head.masks}",
            "8 to 32 bits with masks",
            "Export it again.",
        )
    return head


def _dx10(data: bytes, width: int, height: int, levels: int) -> _Head:
    at = HEADER.itemsize + DX10.itemsize
    if len(data) < at:
        raise ReadError(f"{len(data)} bytes", f"a DX10 header of {at}", "Export it again.")
    said = read_record(DX10, data, HEADER.itemsize)
    number, count, cube = said["format"], said["count"], said["misc"] & DX10_CUBE
    if cube or count > 1 or said["dimension"] != FLAT:
        what = (
            "a cube map"
            if cube
            else f"an array of {count}"
            if count > 1
            else f"dimension {said['dimension']}"
        )
        raise UnsupportedError(f"{what} in a DDS file", "one flat texture", "Export each one apart.")
    if number in DXGI_BLOCKS:
        block, space, signed = DXGI_BLOCKS[number]
        return _Head(width, height, levels, at, block, space, signed)
    if number in DXGI_PLAIN:
        size, order, space = DXGI_PLAIN[number]
        return _Head(width, height, levels, at, space=space, plain=(size, order), bits=8 * size * len(order))
    name = HALF_FLOAT.get(number, f"number {number}")
    raise UnsupportedError(
        f"DDS pixels of DXGI format {name}", "BC1 to BC5, BC7 or 8 and 16-bit pixels", "Export it again."
    )


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
                f"level {level} ends at byte {at + size:,} of {len(data):,}",
                "a whole file",
                "It was cut off: copy it again.",
            )
        part = memoryview(data)[at : at + size]
        out.append(
            decode_level(part, width, height, head.block, head.signed)
            if head.block
            else _plain(part, head, width, height)
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
    flags = SAYS_SIZE | (SAYS_BYTES if coding.block else SAYS_PITCH) | (SAYS_LEVELS if len(levels) > 1 else 0)
    if not coding.block and legacy:
        masks = (0xFF, 0xFF00, 0xFF0000, 0xFF000000)
        pixels: dict[str, object] = {"pixel_flags": PIXELS_RGB | PIXELS_ALPHA, "bits": 32, "masks": masks}
    else:
        pixels = {
            "pixel_flags": PIXELS_FOURCC,
            "fourcc": np.void(LEGACY[coding.block] if legacy else b"DX10"),
        }
    out = write_record(
        HEADER,
        mark=MARK,
        size=HEADER_SIZE,
        flags=flags,
        height=height,
        width=width,
        pitch=size,
        levels=len(levels),
        pixel_size=PIXELS_SIZE,
        caps=CAPS_TEXTURE | (CAPS_MIPS if len(levels) > 1 else 0),
        **pixels,
    )
    if not legacy:
        known = space if (coding.block, space) in DXGI_OF else "linear"
        out += write_record(DX10, format=DXGI_OF[(coding.block, known)], dimension=FLAT, count=1)
    return out + b"".join(parts)


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
