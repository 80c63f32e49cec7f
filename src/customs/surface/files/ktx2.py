"""KTX 2.0: plain pixels, BC1 to BC7 and (read alone) Basis Universal, with or without Zstandard. Source: KTX File Format Specification 2.0,
Khronos.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import zstandard

from customs.errors import ReadError, UnsupportedError
from customs.surface.blocks import BLOCK_BYTES, BLOCK_CHANNELS, level_bytes
from customs.surface.blocks.decode import decode_level
from customs.surface.blocks.encode import encode_level
from customs.surface.files.base import Coding, ImageInfo, Pixels, Space, TextureFormat, register
from customs.surface.files.basis import Packed, basis_levels, packed_as
from customs.surface.files.ktx2_descriptor import descriptor
from customs.surface.files.layout import read_record, write_record
from customs.surface.files.mips import four_channels, plausible
from customs.surface.files.pillow import to_eight

MARK = b"\xabKTX 20\xbb\r\n\x1a\n"
HEADER = np.dtype([
    ("mark", "V12"), ("format", "<u4"), ("type_size", "<u4"), ("width", "<u4"), ("height", "<u4"), ("depth", "<u4"), ("layers", "<u4"),
    ("faces", "<u4"), ("levels", "<u4"), ("scheme", "<u4"), ("dfd_at", "<u4"), ("dfd_size", "<u4"), ("kvd_at", "<u4"),
    ("kvd_size", "<u4"), ("sgd_at", "<u8"), ("sgd_size", "<u8"),
])  # fmt: skip
LEVEL = np.dtype([("at", "<u8"), ("stored", "<u8"), ("plain", "<u8")])
"""A level of the index, right behind the header: where it lies, its bytes there and unpacked."""
BASIS_LZ, ZSTD = 1, 2
# VkFormat numbers of blocks: (block, colour space, signed)
VK_BLOCKS: dict[int, tuple[str, Space, bool]] = {
    131: ("bc1", "linear", False), 132: ("bc1", "srgb", False), 133: ("bc1", "linear", False), 134: ("bc1", "srgb", False),
    135: ("bc2", "linear", False), 136: ("bc2", "srgb", False), 137: ("bc3", "linear", False), 138: ("bc3", "srgb", False),
    139: ("bc4", "linear", False), 140: ("bc4", "linear", True), 141: ("bc5", "linear", False), 142: ("bc5", "linear", True),
    145: ("bc7", "linear", False), 146: ("bc7", "srgb", False),
}  # fmt: skip
# VkFormat numbers of plain pixels: (bytes a channel, order, colour space)
VK_PLAIN: dict[int, tuple[int, str, Space]] = {
    9: (1, "r", "linear"), 15: (1, "r", "srgb"), 16: (1, "rg", "linear"), 22: (1, "rg", "srgb"), 23: (1, "rgb", "linear"),
    29: (1, "rgb", "srgb"), 37: (1, "rgba", "linear"), 43: (1, "rgba", "srgb"), 44: (1, "bgra", "linear"),
    50: (1, "bgra", "srgb"), 70: (2, "r", "linear"), 77: (2, "rg", "linear"), 84: (2, "rgb", "linear"), 91: (2, "rgba", "linear"),
}  # fmt: skip
VK_OF = {("bc1", "linear"): 131, ("bc1", "srgb"): 132, ("", "linear"): 37, ("", "srgb"): 43} | {
    (b, s): n for n, (b, s, signed) in VK_BLOCKS.items() if not signed and b != "bc1"
}
SCHEMES = {1: "BasisLZ", 3: "ZLIB"}
ZSTD_LEVEL = 12


@dataclass(frozen=True)
class _Head:
    """The header, read and checked. `index` is (offset, stored length, plain length) a level."""

    width: int
    height: int
    number: int
    zstd: bool
    index: tuple[tuple[int, int, int], ...]
    packed: Packed | None = None

    @property
    def block(self) -> str:
        """Block compression of its format, "" for plain pixels."""
        if self.packed is not None:
            return self.packed.block
        return VK_BLOCKS[self.number][0] if self.number in VK_BLOCKS else ""

    @property
    def space(self) -> Space:
        """Colour space its format says."""
        if self.packed is not None:
            return self.packed.space
        return VK_BLOCKS[self.number][1] if self.number in VK_BLOCKS else VK_PLAIN[self.number][2]


def _head(data: bytes) -> _Head:
    least = HEADER.itemsize + LEVEL.itemsize
    if len(data) < least:
        raise ReadError(f"{len(data)} bytes", f"a header of at least {least}", "Export it again.")
    said = read_record(HEADER, data)
    number, width, height, scheme = said["format"], said["width"], said["height"], said["scheme"]
    depth, layers, faces = said["depth"], said["layers"], said["faces"]
    if depth or layers > 1 or faces != 1:
        what = "a volume" if depth else "a cube map" if faces == 6 else f"an array of {layers}"
        raise UnsupportedError(f"{what} in a KTX2 file", "one flat texture", "Export each one apart.")
    plausible(width, height)
    packed = None if number else packed_as(data[said["dfd_at"] : said["dfd_at"] + said["dfd_size"]])
    if scheme not in (0, ZSTD) and not (packed is not None and scheme == BASIS_LZ):
        raise UnsupportedError(
            f"supercompression {SCHEMES.get(scheme, scheme)} in a KTX2 file",
            "none or Zstandard",
            "Export it with one of these.",
        )
    if packed is None and number not in VK_BLOCKS and number not in VK_PLAIN:
        raise UnsupportedError(
            f"KTX2 pixels of VkFormat {number}",
            "BC1 to BC5, BC7, Basis Universal or plain pixels",
            "Export it again.",
        )
    count = max(said["levels"], 1)
    if count > 32 or HEADER.itemsize + LEVEL.itemsize * count > len(data):
        raise ReadError(
            f"{count} mip levels in {len(data):,} bytes", "an index that fits", "Export it again."
        )
    index = tuple(np.frombuffer(data, LEVEL, count, HEADER.itemsize).tolist())
    return _Head(width, height, number, scheme == ZSTD, index, packed)


def _info(data: bytes) -> ImageInfo:
    head = _head(data)
    size, order, _ = VK_PLAIN.get(head.number, (1, "", ""))
    if head.packed is not None:
        channels = head.packed.channels
    else:
        channels = BLOCK_CHANNELS[head.block] if head.block else len(order)
    return ImageInfo(
        head.width, head.height, channels, 8 * size, "ktx2", head.space, head.block, len(head.index)
    )


def _level(data: bytes, head: _Head, i: int) -> Pixels:
    offset, stored, plain = head.index[i]
    width, height = max(1, head.width >> i), max(1, head.height >> i)
    size, order, _ = VK_PLAIN.get(head.number, (1, "", ""))
    wanted = level_bytes(width, height, head.block) if head.block else width * height * size * len(order)
    if offset + stored > len(data):
        raise ReadError(
            f"level {i} ends at byte {offset + stored:,} of {len(data):,}",
            "a whole file",
            "It was cut off: copy it again.",
        )
    part: bytes | memoryview = memoryview(data)[offset : offset + stored]
    if head.zstd:
        if plain != wanted:
            raise ReadError(
                f"level {i} says {plain:,} bytes", f"{wanted:,} for {width} × {height}", "Export it again."
            )
        try:
            part = zstandard.ZstdDecompressor().decompress(bytes(part), max_output_size=wanted)
        except zstandard.ZstdError as problem:
            raise ReadError(
                f"level {i} is broken ({problem})", "Zstandard data", "Export it again."
            ) from None
    if len(part) < wanted:
        raise ReadError(
            f"level {i} has {len(part):,} bytes", f"{wanted:,} for {width} × {height}", "Export it again."
        )
    if head.block:
        return decode_level(part, width, height, head.block, VK_BLOCKS[head.number][2])
    values = np.frombuffer(part, np.uint8 if size == 1 else "<u2", wanted // size).reshape(
        height, width, len(order)
    )
    return np.ascontiguousarray(values[:, :, [order.index(c) for c in "rgba" if c in order]])


def _decode(data: bytes) -> Pixels:
    return _levels(data, 1)[0]


def _decode_levels(data: bytes) -> list[Pixels]:
    return _levels(data, None)


def _levels(data: bytes, most: int | None) -> list[Pixels]:
    head = _head(data)
    count = len(head.index) if most is None else most
    if head.packed is None:
        return [_level(data, head, i) for i in range(count)]
    sizes = [(max(1, head.height >> i), max(1, head.width >> i)) for i in range(count)]
    return basis_levels(data, sizes, head.packed.channels)


def _encode(levels: Sequence[Pixels], coding: Coding) -> bytes:
    levels = [four_channels(to_eight(p)) for p in levels]
    height, width = levels[0].shape[:2]
    space: Space = coding.space or "linear"
    if (coding.block, space) not in VK_OF:
        space = "linear"
    plain = [encode_level(p, coding.block, coding.quality) if coding.block else p.tobytes() for p in levels]
    coding.tick(1.0)
    stored = [zstandard.ZstdCompressor(ZSTD_LEVEL).compress(p) for p in plain] if coding.zstd else plain
    dfd = descriptor(coding.block, space)
    kvd = b"".join(_pair(k, v) for k, v in ((b"KTXorientation", b"rd"), (b"KTXwriter", b"Customs")))
    at = HEADER.itemsize + LEVEL.itemsize * len(levels)
    head = write_record(
        HEADER,
        mark=np.void(MARK),
        format=VK_OF[(coding.block, space)],
        type_size=1,
        width=width,
        height=height,
        faces=1,
        levels=len(levels),
        scheme=ZSTD * coding.zstd,
        dfd_at=at,
        dfd_size=len(dfd),
        kvd_at=at + len(dfd),
        kvd_size=len(kvd),
    )
    index = np.zeros(len(levels), LEVEL)
    body = bytearray(head + index.tobytes() + dfd + kvd)
    align = 1 if coding.zstd else math.lcm(BLOCK_BYTES[coding.block] if coding.block else 4, 4)
    for i in reversed(range(len(levels))):
        # The smallest level comes first, so a reader can show something before all is there.
        body += bytes(-len(body) % align)
        index[i] = len(body), len(stored[i]), len(plain[i])
        body += stored[i]
    body[HEADER.itemsize : at] = index.tobytes()
    return bytes(body)


def _pair(key: bytes, value: bytes) -> bytes:
    text = key + b"\0" + value + b"\0"
    return struct.pack("<I", len(text)) + text + bytes(-len(text) % 4)


register(
    TextureFormat(
        id="ktx2",
        title="KTX2",
        endings=(".ktx2",),
        mime="image/ktx2",
        looks_like=lambda data: data[:12] == MARK,
        info=_info,
        decode=_decode,
        encode=_encode,
        decode_levels=_decode_levels,
        mips=True,
        blocks=tuple(b for b in BLOCK_BYTES if b not in ("bc2", "bc6h")),
    )
)
