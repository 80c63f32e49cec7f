"""Detail maps: tiled to the size of the texture below, and laid over it."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.later import later
from customs.surface.files.pillow import to_eight
from customs.surface.mipmap import Kind, chain

ndimage = later("scipy.ndimage")
U8 = npt.NDArray[np.uint8]


def tiled(
    pixels: npt.NDArray[Any], size: tuple[int, int], scale: tuple[float, float], offset: tuple[float, float]
) -> U8:
    """A tiling texture (h, w, C) as it lies over a square of `size` (width, height) pixels: u' = scale · u +
    offset.

    Where it is drawn smaller than it is, a mip level of it is taken first. Bilinear in between.
    """
    source = to_eight(pixels)
    width, height = size
    step = max(source.shape[1] * abs(scale[0]) / width, source.shape[0] * abs(scale[1]) / height)
    levels = chain(source, Kind()) if step > 1.5 else [source]
    source = levels[min(len(levels) - 1, max(0, int(np.log2(max(step, 1)) + 0.5)))]
    h, w = source.shape[:2]
    u = (np.arange(width) + 0.5) / width * scale[0] + offset[0]
    v = (np.arange(height) + 0.5) / height * scale[1] + offset[1]
    at = np.meshgrid(v * h - 0.5, u * w - 0.5, indexing="ij")
    planes = [
        ndimage.map_coordinates(source[:, :, c].astype(np.float32), at, order=1, mode="grid-wrap")
        for c in range(source.shape[2])
    ]
    return np.clip(np.round(np.stack(planes, axis=-1)), 0, 255).astype(np.uint8)


def laid_over(base: U8, detail: U8, strength: float) -> U8:
    """Colours times twice the detail, so that its middle grey changes nothing (common practice). Alpha
    stays.
    """
    tone = 3 if base.shape[2] >= 3 else 1
    factor = (
        detail[:, :, :3].astype(np.float32) / 127.5
        if detail.shape[2] >= 3
        else detail[:, :, :1].astype(np.float32) / 127.5
    )
    factor = factor.mean(axis=2, keepdims=True) if tone == 1 else factor
    out = base.copy()
    out[:, :, :tone] = np.clip(np.round(base[:, :, :tone] * (1 + (factor - 1) * strength)), 0, 255)
    return out
