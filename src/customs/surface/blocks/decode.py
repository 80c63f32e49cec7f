"""Block-compressed bytes to pixels, whole levels at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import ReadError
from customs.surface.blocks import BLOCK_BYTES
from customs.surface.blocks.bc7 import decode_bc7

U8 = npt.NDArray[np.uint8]
Blocks = npt.NDArray[Any]
SLAB = 1 << 16
"""Blocks decoded at once: more would only need more memory."""


def decode_level(data: bytes | memoryview, width: int, height: int, block: str, signed: bool = False) -> U8:
    """Pixels (height, width, C) uint8 of one level. `signed` BC4 and BC5 values −1..1 come out as 0..255.

    Raises ReadError when there are fewer bytes than the size asks for.
    """
    columns, rows, size = -(-width // 4), -(-height // 4), BLOCK_BYTES[block]
    wanted = columns * rows * size
    if len(data) < wanted:
        raise ReadError(
            f"{len(data):,} bytes of {block.upper()} data", f"{wanted:,} for {width} × {height} pixels"
        )
    blocks = np.frombuffer(data, np.uint8, wanted).reshape(-1, size)
    decoder = SIGNED[block] if signed and block in SIGNED else DECODERS[block]
    parts = [decoder(blocks[i : i + SLAB]) for i in range(0, len(blocks), SLAB)]
    texels = parts[0] if len(parts) == 1 else np.concatenate(parts)
    whole = texels.reshape(rows, columns, 4, 4, -1).swapaxes(1, 2).reshape(rows * 4, columns * 4, -1)
    return np.ascontiguousarray(whole[:height, :width])


def _colours(blocks: Blocks, four: bool) -> U8:
    """(N, 16, 4) from (N, 8): two 565 colours and 2-bit indices. `four` leaves out the mode with clear
    black.
    """
    ends = np.ascontiguousarray(blocks[:, :4]).view("<u2").astype(np.int32)
    red, green, blue = ends >> 11, ends >> 5 & 63, ends & 31
    rgb = np.stack([red << 3 | red >> 2, green << 2 | green >> 4, blue << 3 | blue >> 2], axis=-1)
    a, b = rgb[:, 0], rgb[:, 1]
    palette = np.full((len(blocks), 4, 4), 255, np.int32)
    palette[:, 0, :3], palette[:, 1, :3] = a, b
    palette[:, 2, :3], palette[:, 3, :3] = (2 * a + b) // 3, (a + 2 * b) // 3
    if not four:
        three = ends[:, 0] <= ends[:, 1]
        palette[three, 2, :3] = (a[three] + b[three]) // 2
        palette[three, 3] = 0
    bits = np.ascontiguousarray(blocks[:, 4:8]).view("<u4")
    index = (bits >> np.arange(0, 32, 2, dtype=np.uint32)) & 3
    return np.take_along_axis(palette.astype(np.uint8), index[:, :, None].astype(np.intp), axis=1)


def _ramp(blocks: Blocks, signed: bool = False) -> U8:
    """(N, 16) from (N, 8): two ends and 3-bit indices of one channel."""
    ends = blocks[:, :2].astype(np.int32)
    if signed:
        ends = np.maximum(ends - 256 * (ends > 127), -127)
    a, b = ends[:, :1], ends[:, 1:]
    k = np.arange(8)[None, :]
    weight = np.where(k < 2, 0, k - 1)
    low, high = (-127, 127) if signed else (0, 255)
    if signed:
        # Source for signed values: the interpolation is exact, so it is rounded once, at the end.
        eight, six = (a * (7 - weight) + b * weight) / 7, (a * (5 - weight) + b * weight) / 5
    else:
        eight, six = (a * (7 - weight) + b * weight) // 7, (a * (5 - weight) + b * weight) // 5
    six = np.where(k == 6, low, np.where(k == 7, high, six))
    palette = np.where(a > b, eight, six)
    palette = np.where(k == 0, a, np.where(k == 1, b, palette))
    if signed:
        palette = np.round((palette + 127) * (255 / 254)).astype(np.int32)
    six_bytes = np.zeros((len(blocks), 8), np.uint8)
    six_bytes[:, :6] = blocks[:, 2:8]
    bits = six_bytes.view("<u8")
    index = (bits >> np.arange(0, 48, 3, dtype=np.uint64)) & np.uint64(7)
    return np.take_along_axis(palette.astype(np.uint8), index.astype(np.intp), axis=1)


def _bc1(blocks: Blocks) -> U8:
    return _colours(blocks, four=False)


def _bc2(blocks: Blocks) -> U8:
    out = _colours(blocks[:, 8:], four=True)
    low, high = blocks[:, :8] & 15, blocks[:, :8] >> 4
    out[:, :, 3] = np.stack([low, high], axis=-1).reshape(len(blocks), 16) * 17
    return out


def _bc3(blocks: Blocks) -> U8:
    out = _colours(blocks[:, 8:], four=True)
    out[:, :, 3] = _ramp(blocks[:, :8])
    return out


def _bc4(blocks: Blocks) -> U8:
    return _ramp(blocks)[:, :, None]


def _bc5(blocks: Blocks) -> U8:
    return np.stack([_ramp(blocks[:, :8]), _ramp(blocks[:, 8:])], axis=-1)


def _bc4_signed(blocks: Blocks) -> U8:
    return _ramp(blocks, signed=True)[:, :, None]


def _bc5_signed(blocks: Blocks) -> U8:
    return np.stack([_ramp(blocks[:, :8], True), _ramp(blocks[:, 8:], True)], axis=-1)


DECODERS: Mapping[str, Callable[[Blocks], U8]] = {
    "bc1": _bc1, "bc2": _bc2, "bc3": _bc3, "bc4": _bc4, "bc5": _bc5, "bc7": decode_bc7,
}  # fmt: skip
SIGNED: Mapping[str, Callable[[Blocks], U8]] = {"bc4": _bc4_signed, "bc5": _bc5_signed}
