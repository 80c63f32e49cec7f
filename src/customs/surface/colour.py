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


def to_oklab(srgb: npt.NDArray[Any]) -> npt.NDArray[np.float32]:
    """OKLab (…, 3) of sRGB 0..1 (…, 3): lightness 0..1, then two hue axes. Source: Ottosson, "A perceptual
    color space" (2020).
    """
    lms = np.cbrt(to_linear(srgb) @ TO_LMS.T)
    return (lms @ TO_LAB.T).astype(np.float32)


def from_oklab(lab: npt.NDArray[Any]) -> npt.NDArray[np.float32]:
    """sRGB 0..1 (…, 3) of OKLab, clipped to what sRGB can show. Source: as `to_oklab`, inverted."""
    lms = (lab @ np.linalg.inv(TO_LAB).T) ** 3
    return np.clip(to_srgb(np.clip(lms @ np.linalg.inv(TO_LMS).T, 0, 1)), 0, 1)


TO_LMS = np.array([[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
                   [0.0883024619, 0.2817188376, 0.6299787005]])  # fmt: skip
TO_LAB = np.array([[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
                   [0.0259040371, 0.7827717662, -0.8086757660]])  # fmt: skip
