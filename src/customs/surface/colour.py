"""sRGB and linear light."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt


def to_linear(srgb: npt.NDArray[Any]) -> npt.NDArray[np.float32]:
    """Linear light 0..1 from sRGB 0..1. Source: IEC 61966-2-1, inverse of its transfer function."""
    s = srgb.astype(np.float32)
    return np.where(s <= 0.04045, s / 12.92, ((s + 0.055) / 1.055) ** 2.4).astype(np.float32)


def to_srgb(linear: npt.NDArray[Any]) -> npt.NDArray[np.float32]:
    """sRGB 0..1 from linear light 0..1. Source: IEC 61966-2-1."""
    v = np.clip(linear, 0, None).astype(np.float32)
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055).astype(np.float32)
