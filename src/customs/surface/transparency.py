"""Alpha: its histogram and what it asks for, colours under clear pixels, opacity textures."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from customs.later import later
from customs.surface.files.pillow import to_eight

ndimage = later("scipy.ndimage")
U8 = npt.NDArray[np.uint8]
CLEAR, SOLID = 13, 242
"""Alpha up to CLEAR counts as clear, from SOLID on as solid (of 255)."""


@dataclass(frozen=True)
class Shares:
    """Shares of pixels that are clear, half clear and solid; they sum to one."""

    clear: float
    half: float
    solid: float


def shares(alpha: npt.NDArray[Any]) -> Shares:
    """From alpha (H, W)."""
    counts = np.bincount(to_eight(alpha).ravel(), minlength=256) / alpha.size
    return Shares(
        float(counts[: CLEAR + 1].sum()), float(counts[CLEAR + 1 : SOLID].sum()), float(counts[SOLID:].sum())
    )


def wanted_mode(alpha: npt.NDArray[Any]) -> Literal["opaque", "mask", "blend"]:
    """The mode an alpha channel asks for: solid throughout is opaque, two-valued with a thin rim is a mask,
    else blend.

    Common practice: foliage and paper are cut out, glass and puddles blend.
    """
    s = shares(alpha)
    if s.clear + s.half < 0.002:
        return "opaque"
    return "blend" if s.half > 0.35 or (s.half > 0.12 and s.clear < 0.02) else "mask"


def wanted_cutoff(alpha: npt.NDArray[Any]) -> float:
    """The cutoff that parts clear from solid best (0..1). Source: Otsu, "A threshold selection method"
    (1979).
    """
    counts = np.bincount(to_eight(alpha).ravel(), minlength=256).astype(np.float64)
    below = np.cumsum(counts)
    level = np.cumsum(counts * np.arange(256))
    above = counts.sum() - below
    with np.errstate(divide="ignore", invalid="ignore"):
        apart = (level[-1] * below / counts.sum() - level) ** 2 / (below * above)
    apart = np.nan_to_num(apart)
    best = np.flatnonzero(apart >= apart.max() * (1 - 1e-9))
    return float(np.clip((best.mean() + 1) / 255, 0.05, 0.95))


def bled(pixels: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Colours of the nearest pixel that can be seen put under those that cannot, so no rim shows when it is
    filtered.
    """
    clear = pixels[:, :, -1] <= np.iinfo(pixels.dtype).max * CLEAR // 255
    if not clear.any() or clear.all():
        return pixels
    rows, columns = ndimage.distance_transform_edt(clear, return_distances=False, return_indices=True)
    out = pixels.copy()
    out[:, :, :-1] = pixels[rows, columns, :-1]
    return out


def rim(pixels: npt.NDArray[Any]) -> float:
    """How far colours under clear pixels beside solid ones differ from those (0..1): what filtering would let
    shine through.
    """
    p = to_eight(pixels)
    alpha, colour = p[:, :, -1], p[:, :, :-1].astype(np.float32)
    worst = []
    for axis in (0, 1):
        a, b = (np.take(alpha, range(i, alpha.shape[axis] - 1 + i), axis) for i in (0, 1))
        edge = ((a <= CLEAR) & (b >= SOLID)) | ((a >= SOLID) & (b <= CLEAR))
        if edge.any():
            step = np.abs(np.diff(colour, axis=axis)).mean(axis=2)
            worst.append(float(step[edge].mean()) / 255)
    return max(worst, default=0.0)


def with_alpha(pixels: npt.NDArray[Any], opacity: npt.NDArray[Any]) -> U8:
    """Colours (H, W, C) with an opacity texture of the same size (its first channel) as alpha."""
    rgb = to_eight(pixels)
    rgb = np.repeat(rgb[:, :, :1], 3, axis=2) if rgb.shape[2] <= 2 else rgb[:, :, :3]
    return np.dstack([rgb, to_eight(opacity)[:, :, -1 if opacity.shape[2] in (2, 4) else 0]])


def without_alpha(pixels: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Without the last channel, where that is alpha."""
    return np.ascontiguousarray(pixels[:, :, :-1]) if pixels.shape[2] in (2, 4) else pixels
