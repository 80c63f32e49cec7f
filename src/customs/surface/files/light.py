"""Amounts of light as what a texture file can say."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

Values = npt.NDArray[Any]


def clipped(values: Values) -> npt.NDArray[np.uint16]:
    """(H, W, C) uint16 of amounts from 0 to 1; what is outside is clipped, what is no number is nothing."""
    whole = np.nan_to_num(values, nan=0.0, posinf=1.0, neginf=0.0)
    return np.rint(np.clip(whole, 0, 1) * np.float32(65535)).astype(np.uint16)


def share_outside(values: Values) -> float:
    """Share of pixels with a value that is not from 0 to 1, and so is clipped."""
    with np.errstate(invalid="ignore"):
        return float((~((values >= 0) & (values <= 1)).all(axis=2)).mean())
