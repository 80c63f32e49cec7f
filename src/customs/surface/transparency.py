"""Alpha: its histogram and what it asks for, colours under clear pixels, opacity textures."""

from __future__ import annotations

from dataclasses import dataclass
from types import ModuleType
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from customs.kernels.cores import cuts, on_cores
from customs.kernels.store import kernel_for
from customs.later import later
from customs.surface.counts import byte_counts
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
    counts = byte_counts(to_eight(alpha)) / alpha.size
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
    counts = byte_counts(to_eight(alpha)).astype(np.float64)
    below = np.cumsum(counts)
    level = np.cumsum(counts * np.arange(256))
    above = counts.sum() - below
    with np.errstate(divide="ignore", invalid="ignore"):
        apart = (level[-1] * below / counts.sum() - level) ** 2 / (below * above)
    apart = np.nan_to_num(apart)
    best = np.flatnonzero(apart >= apart.max() * (1 - 1e-9))
    return float(np.clip((best.mean() + 1) / 255, 0.05, 0.95))


def nearest(away: npt.NDArray[np.bool_]) -> tuple[npt.NDArray[np.int32], npt.NDArray[np.int32]]:
    """Row and column (H, W) of the nearest pixel that is not `away` (H, W), of which there is one at least."""
    compiled = kernel_for("distance", away.size)
    return nearest_compiled(compiled, away) if compiled is not None else nearest_by_scipy(away)


def nearest_by_scipy(away: npt.NDArray[np.bool_]) -> tuple[npt.NDArray[np.int32], npt.NDArray[np.int32]]:
    """Through SciPy."""
    rows, columns = ndimage.distance_transform_edt(away, return_distances=False, return_indices=True)
    return rows, columns


def nearest_compiled(
    compiled: ModuleType, away: npt.NDArray[np.bool_]
) -> tuple[npt.NDArray[np.int32], npt.NDArray[np.int32]]:
    """By the kernel `distance`, columns and then rows shared among the cores."""
    height, width = away.shape
    rows, columns = np.empty((height, width), np.int32), np.empty((height, width), np.int32)
    flags = np.ascontiguousarray(away).view(np.uint8)
    on_cores(lambda part: compiled.down(flags, *part, rows), cuts(width))
    on_cores(lambda part: compiled.along(rows, columns, *part), cuts(height))
    return rows, columns


def bled(pixels: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Colours of the nearest pixel that can be seen put under those that cannot, so no rim shows when it is
    filtered.
    """
    clear = pixels[:, :, -1] <= np.iinfo(pixels.dtype).max * CLEAR // 255
    if not clear.any() or clear.all():
        return pixels
    rows, columns = nearest(clear)
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
