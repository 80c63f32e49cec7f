"""BC7 blocks to pixels. Source: Khronos Data Format Specification 1.3, section 20.1 (BPTC, RGBA)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.surface.blocks.bc7_tables import ANCHORS, SUBSETS, WEIGHTS

U8 = npt.NDArray[np.uint8]
I32 = npt.NDArray[np.int32]
Bits = npt.NDArray[Any]


@dataclass(frozen=True)
class Mode:
    """One row of the mode table: counts of subsets and of bits."""

    subsets: int
    partition: int
    rotation: int
    selector: int
    colour: int
    alpha: int
    own_p: bool
    shared_p: bool
    index: int
    second: int


MODES = (
    Mode(3, 4, 0, 0, 4, 0, True, False, 3, 0),
    Mode(2, 6, 0, 0, 6, 0, False, True, 3, 0),
    Mode(3, 6, 0, 0, 5, 0, False, False, 2, 0),
    Mode(2, 6, 0, 0, 7, 0, True, False, 2, 0),
    Mode(1, 0, 2, 1, 5, 6, False, False, 2, 3),
    Mode(1, 0, 2, 0, 7, 8, False, False, 2, 2),
    Mode(1, 0, 0, 0, 7, 7, True, False, 4, 0),
    Mode(2, 6, 0, 0, 5, 5, True, False, 2, 0),
)


class _Reader:
    """Takes fields off the front of 128-bit blocks, all blocks at once."""

    def __init__(self, words: Bits, at: int) -> None:
        self.words, self.at = words, at

    def take(self, count: int) -> I32:
        """The next `count` bits of every block, (N,)."""
        out = self.read(self.at, count)
        self.at += count
        return out

    def read(self, at: int, count: int) -> I32:
        """`count` bits of every block from bit `at`."""
        low, high = self.words[:, 0], self.words[:, 1]
        if at >= 64:
            value = high >> np.uint64(at - 64)
        else:
            value = low >> np.uint64(at)
            if at and at + count > 64:
                value = value | high << np.uint64(64 - at)
        return (value & np.uint64((1 << count) - 1)).astype(np.int32)


def decode_bc7(blocks: npt.NDArray[Any]) -> U8:
    """Pixels (N, 16, 4) of (N, 16) block bytes. Blocks of the reserved mode come out clear black, as the
    source says.
    """
    out = np.zeros((len(blocks), 16, 4), np.uint8)
    words = np.ascontiguousarray(blocks).view("<u8")
    first = blocks[:, 0].astype(np.int32)
    lowest = first & -first
    for number, mode in enumerate(MODES):
        rows = np.flatnonzero(lowest == 1 << number)
        if len(rows):
            out[rows] = _decode(words[rows], mode, number + 1)
    return out


def _decode(words: Bits, mode: Mode, at: int) -> U8:
    r, n = _Reader(words, at), len(words)
    partition = r.take(mode.partition) if mode.partition else np.zeros(n, np.int32)
    rotation = r.take(mode.rotation) if mode.rotation else None
    selector = r.take(mode.selector) if mode.selector else None
    ends = _ends(r, mode, n)
    subset = SUBSETS[mode.subsets][partition]
    anchor = ANCHORS[mode.subsets][partition]
    index = _indices(r, mode.index, anchor)
    rows = np.arange(n)[:, None]
    a, b = ends[rows, subset, 0], ends[rows, subset, 1]
    weight = WEIGHTS[mode.index][index][:, :, None]
    if not mode.second:
        pixels = _between(a, b, weight)
    else:
        first = np.zeros_like(anchor)
        first[:, 0] = True
        second = WEIGHTS[mode.second][_indices(r, mode.second, first)][:, :, None]
        swap = (selector == 1)[:, None, None] if selector is not None else np.zeros((n, 1, 1), bool)
        pixels = _between(a, b, np.where(swap, second, weight))
        pixels[:, :, 3:] = _between(a[..., 3:], b[..., 3:], np.where(swap, weight, second))
    if rotation is not None:
        for channel in range(3):
            turned = np.flatnonzero(rotation == channel + 1)
            pixels[turned, :, channel], pixels[turned, :, 3] = (
                pixels[turned, :, 3],
                pixels[turned, :, channel].copy(),
            )
    return pixels.astype(np.uint8)


def _between(a: I32, b: I32, weight: I32) -> I32:
    return ((64 - weight) * a + weight * b + 32) >> 6


def _ends(reader: _Reader, mode: Mode, n: int) -> I32:
    """End colours (N, S, 2, 4) in eight bits."""
    count = mode.subsets * 2
    colour = np.stack(
        [np.stack([reader.take(mode.colour) for _ in range(count)], axis=1) for _ in range(3)], axis=2
    )
    bits = [mode.colour] * 3 + [mode.alpha]
    alpha = (
        np.stack([reader.take(mode.alpha) for _ in range(count)], axis=1)
        if mode.alpha
        else np.full((n, count), 255, np.int32)
    )
    ends = np.concatenate([colour, alpha[:, :, None]], axis=2)
    if mode.own_p or mode.shared_p:
        p = np.stack([reader.take(1) for _ in range(count if mode.own_p else mode.subsets)], axis=1)
        p = p if mode.own_p else np.repeat(p, 2, axis=1)
        wide = 4 if mode.alpha else 3
        ends[:, :, :wide] = ends[:, :, :wide] << 1 | p[:, :, None]
        bits = [b + 1 if b else 0 for b in bits]
    for channel, have in enumerate(bits):
        if have:
            value = ends[:, :, channel] << (8 - have)
            ends[:, :, channel] = value | value >> have
    return ends.reshape(n, mode.subsets, 2, 4)


def _indices(reader: _Reader, bits: int, anchor: npt.NDArray[np.bool_]) -> I32:
    """Indices (N, 16); those at anchors have one bit less, so where each begins differs from block to
    block.
    """
    start = reader.at + bits * np.arange(16) - np.cumsum(anchor, axis=1) + anchor
    length = np.where(anchor, bits - 1, bits)
    total = bits * 16 - int(anchor[0].sum())
    at = start.astype(np.uint64)
    low, high = reader.words[:, :1], reader.words[:, 1:]
    inside = np.minimum(at, np.uint64(63))
    value = np.where(at < 64, low >> inside, high >> np.where(at < 64, np.uint64(0), at - np.uint64(64)))
    crossing = (at < 64) & (at > 0)
    value = np.where(crossing, value | high << np.where(crossing, np.uint64(64) - at, np.uint64(0)), value)
    reader.at += total
    return (value & ((np.uint64(1) << length.astype(np.uint64)) - np.uint64(1))).astype(np.int32)
