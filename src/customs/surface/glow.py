"""Emissive maps by colour, and recolouring: differences measured in OKLab."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.later import later
from customs.surface.colour import from_oklab, to_oklab
from customs.surface.files.pillow import to_eight

ndimage = later("scipy.ndimage")
F32 = npt.NDArray[np.float32]
U8 = npt.NDArray[np.uint8]


def parse_colour(text: str) -> tuple[float, float, float]:
    """sRGB 0..1 of `#rrggbb`. Raises ValueError."""
    if not re.fullmatch(r"#[0-9a-fA-F]{6}", text):
        raise ValueError("a colour such as #ffcc66")
    r, g, b = (int(text[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return r, g, b


def colour_mask(pixels: npt.NDArray[Any], colours: Sequence[str], tolerance: float, feather: float) -> F32:
    """How much each pixel (H, W, 3 or more) belongs to the picked colours, (H, W) 0..1.

    `tolerance` is the largest OKLab distance that belongs wholly, `feather` the further distance over which
    it fades.
    """
    lab = to_oklab(to_eight(pixels)[:, :, :3] / np.float32(255))
    nearest = np.full(lab.shape[:2], np.inf, np.float32)
    for text in colours:
        picked = to_oklab(np.array(parse_colour(text), np.float32))
        off = lab - picked
        nearest = np.minimum(nearest, np.sqrt(np.einsum("ijk,ijk->ij", off, off)))
    if feather <= 0:
        return (nearest <= tolerance).astype(np.float32)
    t = np.clip((tolerance + feather - nearest) / feather, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


def cleaned(mask: F32, speck: int, gap: int) -> F32:
    """A mask without islands of under `speck` pixels and with gaps up to `gap` pixels wide closed."""
    solid = mask > 0.5
    if gap > 0:
        grown = np.pad(solid, gap, mode="wrap")
        ring = np.ones((3, 3), bool)
        solid = ndimage.binary_closing(grown, ring, iterations=gap)[gap:-gap, gap:-gap] | solid
    if speck > 1:
        islands, count = ndimage.label(solid, np.ones((3, 3)))
        sizes = np.bincount(islands.ravel(), minlength=count + 1)
        sizes[0] = 0
        solid = solid & (sizes[islands] >= speck)
    out = np.where(solid, np.maximum(mask, 0.5 * solid), 0)
    # The soft rim stays where it belongs to something solid.
    rim = (mask > 0) & ~solid
    near = ndimage.distance_transform_edt(~solid) <= 2 if solid.any() else np.zeros_like(solid)
    return np.where(rim & near, mask, out).astype(np.float32)


def glow_map(pixels: npt.NDArray[Any], mask: F32) -> U8:
    """Emissive texture (H, W, 3): the texture's own colours where the mask is, black elsewhere."""
    return np.round(to_eight(pixels)[:, :, :3] * mask[:, :, None]).astype(np.uint8)


def tinted(pixels: npt.NDArray[Any], mask: F32, colour: str, strength: float) -> npt.NDArray[Any]:
    """Pixels whose hue and saturation go towards `colour` by `strength` (0..1) where the mask is; lightness
    is kept.

    The texture's own variation of saturation stays: it is scaled to the mean of what is recoloured.
    """
    eight = to_eight(pixels)
    lab = to_oklab(eight[:, :, :3] / np.float32(255))
    picked = to_oklab(np.array(parse_colour(colour), np.float32))
    chroma = np.hypot(lab[:, :, 1], lab[:, :, 2])
    weight = mask if mask.any() else np.ones_like(mask)
    mean = float((chroma * weight).sum() / weight.sum())
    relative = np.clip(chroma / mean, 0.3, 2.0) if mean > 1e-3 else np.ones_like(chroma)
    share = (mask * strength)[:, :, None]
    target = picked[1:] * relative[:, :, None]
    lab[:, :, 1:] = lab[:, :, 1:] * (1 - share) + target * share
    out = eight.copy()
    out[:, :, :3] = np.where(share > 0, np.round(from_oklab(lab) * 255), eight[:, :, :3])
    return out
