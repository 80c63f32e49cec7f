"""How far two textures differ: PSNR and a picture of the difference."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.surface.counts import squares_apart
from customs.surface.files.pillow import to_eight

GAIN = 8
"""How many times larger a difference is drawn than it is."""


def psnr(a: npt.NDArray[Any], b: npt.NDArray[Any]) -> float:
    """Peak signal-to-noise ratio in dB over the channels both have; infinity when they are alike.

    Source: 10 · log₁₀(255² / mean squared error).
    """
    channels = min(a.shape[2], b.shape[2])
    one, other = to_eight(a)[:, :, :channels], to_eight(b)[:, :, :channels]
    error = squares_apart(one, other) / one.size
    return float("inf") if error == 0 else float(10 * np.log10(255**2 / error))


def difference(a: npt.NDArray[Any], b: npt.NDArray[Any]) -> npt.NDArray[np.uint8]:
    """Picture (H, W, 3) of |a − b| times GAIN: black where they are alike."""
    channels = min(a.shape[2], b.shape[2], 3)
    off = np.abs(to_eight(a)[:, :, :channels].astype(np.int16) - to_eight(b)[:, :, :channels])
    out = np.clip(off * GAIN, 0, 255).astype(np.uint8)
    return np.repeat(out[:, :, :1], 3, axis=2) if channels < 3 else out
