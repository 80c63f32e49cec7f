"""The mean colour of a texture."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.scene.kept import kept
from customs.scene.model import Image
from customs.surface.colour import to_linear
from customs.surface.pixels import pixels_or_none

SOME = 64
"""Pixels along an edge that are looked at, spread evenly: a mean needs no more."""


def mean_linear(image: Image) -> npt.NDArray[np.float64] | None:
    """(3,) mean of an image's colours in linear light, by how much each pixel covers; None without pixels. Kept while it lives."""
    return kept("mean colour", image, lambda: _mean(image))


def _mean(image: Image) -> npt.NDArray[np.float64] | None:
    pixels = pixels_or_none(image)
    if pixels is None:
        return None
    height, width, channels = pixels.shape
    some = pixels[:: max(1, height // SOME), :: max(1, width // SOME)].reshape(-1, channels)
    share = some.astype(np.float64) / np.iinfo(pixels.dtype).max
    covers = share[:, -1] if channels in (2, 4) else np.ones(len(share))
    rgb = share[:, :3] if channels >= 3 else np.repeat(share[:, :1], 3, axis=1)
    return np.asarray(
        (to_linear(rgb) * covers[:, None]).sum(axis=0) / max(float(covers.sum()), 1e-9), np.float64
    )
