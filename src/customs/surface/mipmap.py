"""Mip chains: colours in linear light, normals one long, cut-out leaves as dense at every level."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache

import numpy as np
import numpy.typing as npt

from customs.surface.colour import to_linear, to_srgb
from customs.surface.counts import byte_counts
from customs.surface.files.base import Pixels
from customs.surface.files.pillow import to_eight

U16 = npt.NDArray[np.uint16]
BAND = 64
"""Rows worked on at once."""


@dataclass(frozen=True)
class Kind:
    """What the numbers of a texture are: colours in sRGB, unit vectors, or plain data. `cutoff` is a mask's,
    or None.
    """

    colour: bool = False
    normal: bool = False
    cutoff: float | None = None


@cache
def _tables() -> tuple[U16, npt.NDArray[np.uint8]]:
    """sRGB bytes to linear light in sixteen bits, and back."""
    forth = np.round(to_linear(np.arange(256) / 255) * 65535).astype(np.uint16)
    back = np.round(to_srgb(np.arange(65536) / 65535) * 255).astype(np.uint8)
    return forth, back


def chain(pixels: Pixels, kind: Kind) -> list[Pixels]:
    """All levels down to one pixel, (H, W, C) uint8, the largest first.

    Each level is the average of two by two of the level above, kept in sixteen bits in between so that errors
    do not add up. An odd edge gives its last row or column to its neighbour.
    """
    top = to_eight(pixels)
    out, fine = [top], _first(top, kind)
    while max(out[-1].shape[:2]) > 1:
        fine = _halved(fine) if len(out) > 1 else fine
        if kind.normal and fine.shape[2] >= 3:
            fine = _unit(fine)
        out.append(_coarse(fine, kind))
    if kind.cutoff is not None and top.shape[2] in (2, 4):
        out = [top] + [_covering(p, top, kind.cutoff) for p in out[1:]]
    return out


def _first(top: Pixels, kind: Kind) -> U16:
    """The first halving in sixteen bits, in bands that stay near the processor, on all cores."""
    height, width = top.shape[:2]
    if height < 2 * BAND or width < 2:
        return _halved(_fine(top, kind))
    out = np.empty((height // 2, width // 2, top.shape[2]), np.uint16)

    def band(y: int) -> None:
        out[y // 2 : (y + BAND) // 2] = _halved(_fine(top[y : min(y + BAND, height // 2 * 2)], kind))

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        list(pool.map(band, range(0, height // 2 * 2, BAND)))
    return out


def _fine(pixels: Pixels, kind: Kind) -> U16:
    tone = _tone(pixels) if kind.colour else 0
    out = pixels.astype(np.uint16) * np.uint16(257)
    if tone:
        out[:, :, :tone] = np.take(_tables()[0], pixels[:, :, :tone])
    return out


def _tone(pixels: Pixels) -> int:
    channels = pixels.shape[2]
    return channels - 1 if channels in (2, 4) else channels


def _coarse(fine: U16, kind: Kind) -> Pixels:
    out = ((fine.astype(np.uint32) + 128) // 257).astype(np.uint8)
    if kind.colour:
        tone = _tone(fine)
        out[:, :, :tone] = _tables()[1][fine[:, :, :tone]]
    return out


def _halved(fine: U16) -> U16:
    height, width = fine.shape[:2]
    even = fine[: max(height // 2 * 2, 1), : max(width // 2 * 2, 1)]
    rows = even.astype(np.uint32)
    rows = rows[0::2] + rows[1::2] if height > 1 else rows * 2
    both = rows[:, 0::2] + rows[:, 1::2] if width > 1 else rows * 2
    return ((both + 2) >> 2).astype(np.uint16)


def _unit(fine: U16) -> U16:
    vectors = fine[:, :, :3].astype(np.float32) * np.float32(2 / 65535) - 1
    length = np.sqrt(np.einsum("ijk,ijk->ij", vectors, vectors))
    vectors /= np.where(length > 1e-6, length, 1)[:, :, None]
    out = fine.copy()
    out[:, :, :3] = np.round((vectors + 1) * 32767.5)
    return out


def coverage(pixels: Pixels, cutoff: float) -> float:
    """Share of pixels whose alpha reaches the cutoff."""
    alpha = pixels[:, :, -1]
    if alpha.dtype != np.uint8:
        return float((alpha >= cutoff * 255).mean())
    return float(byte_counts(alpha)[max(int(np.ceil(cutoff * 255)), 0) :].sum() / alpha.size)


def _covering(level: Pixels, top: Pixels, cutoff: float) -> Pixels:
    """`level` with its alpha scaled so that the share above the cutoff is the top level's.

    The smallest levels come as near as their count of pixels lets. Common practice for foliage.
    """
    wanted, alpha = coverage(top, cutoff), level[:, :, -1].astype(np.float32)
    count = round(wanted * alpha.size)
    if count == 0 or count >= alpha.size:
        return level
    order = np.argsort(-alpha, axis=None, kind="stable")
    ranked, least = alpha.reshape(-1)[order], np.ceil(cutoff * 255)
    edge = max((ranked[count - 1] + ranked[count]) / 2, 0.5)
    scaled = np.clip(np.round(ranked * (cutoff * 255 / edge)), 0, 255)
    # Rounding and pixels alike would leave some on the wrong side of the cutoff.
    scaled[:count] = np.maximum(scaled[:count], least)
    scaled[count:] = np.minimum(scaled[count:], least - 1)
    out = level.copy()
    flat = np.empty(alpha.size, np.uint8)
    flat[order] = scaled
    out[:, :, -1] = flat.reshape(alpha.shape)
    return out
