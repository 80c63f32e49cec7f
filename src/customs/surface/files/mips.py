"""What formats with mip levels share: counts, sizes that make sense, four channels."""

from __future__ import annotations

import numpy as np

from customs.errors import LimitError, ReadError
from customs.surface.files.base import Pixels
from customs.tolerances import IMAGE_PIXELS


def full_chain(width: int, height: int) -> int:
    """Levels down to one pixel."""
    return max(width, height).bit_length()


def plausible(width: int, height: int) -> None:
    """Raises ReadError for a size of zero, LimitError for one that is too large to decode."""
    if width < 1 or height < 1:
        raise ReadError(f"a size of {width} × {height}", "at least one pixel each way", "Export it again.")
    if width * height > IMAGE_PIXELS:
        raise LimitError(f"image of {width} × {height} pixels", f"at most {IMAGE_PIXELS:,} pixels")


def four_channels(pixels: Pixels) -> Pixels:
    """(H, W, 4): grey goes to red, green and blue, two channels stay red and green with an empty blue; alpha
    is full.
    """
    height, width, channels = pixels.shape
    if channels == 4:
        return np.ascontiguousarray(pixels)
    out = np.zeros((height, width, 4), pixels.dtype)
    out[:, :, 3] = np.iinfo(pixels.dtype).max
    out[:, :, :3] = pixels if channels in (1, 3) else 0
    if channels == 2:
        out[:, :, :2] = pixels
    return out
