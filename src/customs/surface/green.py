"""Which way the green channel of a normal map points, told from the map itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from customs.later import later
from customs.scene.model import Image
from customs.surface.kept import kept_of_pixels
from customs.surface.pixels import pixels_or_none

ndimage = later("scipy.ndimage")
F32 = npt.NDArray[np.float32]
LARGEST = 1024
"""Longest edge looked at (pixels); a larger map is cut to its middle, never thinned, as slopes live from
pixel to pixel.
"""
BLURS = (0.8, 1.6, 3.2)
"""Widths of the smoothing before slopes are compared (pixels)."""
TILES = 8
LEAST, SURE = 0.10, 4.0
"""Least agreement that counts (0..1), and how many standard errors it must be from none."""


@dataclass(frozen=True)
class Green:
    """`direction` is "up", "down" or "undecidable"; `agreement` −1 (down) to 1 (up); `reason` says how it was
    told.
    """

    direction: Literal["up", "down", "undecidable"]
    agreement: float
    reason: str


GreenWay = Literal["up", "down"]


def green_of(image: Image, origin: GreenWay) -> GreenWay:
    """Which way a map's green points: as a step has marked it, else as its pixels tell, else as its origin
    says.
    """
    if image.green:
        return image.green
    found = told_green(image)
    return origin if found is None or found.direction == "undecidable" else found.direction


def told_green(image: Image) -> Green | None:
    """What its pixels tell, judged once; None when they cannot be read."""

    def judged() -> Green | None:
        pixels = pixels_or_none(image)
        return green_direction(pixels) if pixels is not None else None

    return kept_of_pixels("green", image, judged)


def slopes(pixels: npt.NDArray[Any]) -> tuple[F32, F32, npt.NDArray[np.bool_]]:
    """(∂h/∂column, ∂h/∂row if green is up, usable) of a map (H, W, 2 or more); blue is worked out from red
    and green.
    """
    top = np.float32(np.iinfo(pixels.dtype).max)
    x, y = (pixels[:, :, c].astype(np.float32) * (2 / top) - 1 for c in (0, 1))
    squares = x * x + y * y
    z = np.sqrt(np.maximum(1 - squares, 0.04))
    return -x / z, y / z, squares < 0.96


def green_direction(pixels: npt.NDArray[Any]) -> Green:
    """Judge a normal map (H, W, 2 or more), uint8 or uint16.

    The slopes of a surface have no curl: ∂p/∂row equals ∂q/∂column, as both are the surface's mixed second
    derivative. With green the other way q has the other sign, so the two derivatives are opposed. Where both
    vanish (grooves along the axes) nothing can be told.
    """
    height, width = pixels.shape[:2]
    if min(height, width) < 8 or pixels.shape[2] < 2:
        return Green("undecidable", 0.0, "too small to tell")
    top, left = max(0, (height - LARGEST) // 2), max(0, (width - LARGEST) // 2)
    p, q, usable = slopes(pixels[top : top + LARGEST, left : left + LARGEST])
    # Rounding alone gives slopes this noise; what is not above it says nothing.
    noise = float((2 / np.iinfo(pixels.dtype).max) ** 2 / 12)
    best = (0.0, 0.0)
    for blur in BLURS:
        found = _agreement(p, q, usable, blur, noise)
        if abs(found[1]) > abs(best[1]):
            best = found
    agreement, errors = best
    if abs(agreement) < LEAST or abs(errors) < SURE:
        return Green(
            "undecidable", agreement, "its slopes run along the axes or carry no relief: both ways fit"
        )
    word: Literal["up", "down"] = "up" if agreement > 0 else "down"
    return Green(
        word,
        agreement,
        f"green {word} makes its slopes those of one surface ({abs(agreement) * 100:.0f} % agreement)",
    )


def _agreement(
    p: F32, q: F32, usable: npt.NDArray[np.bool_], blur: float, noise: float
) -> tuple[float, float]:
    """(agreement −1..1, the same in standard errors) at one width of smoothing."""
    a = ndimage.gaussian_filter(p, blur, order=(1, 0), mode="nearest")
    b = ndimage.gaussian_filter(q, blur, order=(0, 1), mode="nearest")
    good = ndimage.gaussian_filter(usable.astype(np.float32), blur, mode="nearest") > 0.98
    product = np.where(good, a * b, 0)
    weight = np.abs(product)
    # Rounding noise after a derivative of a Gaussian: variance / (8 π blur⁴).
    floor = noise / (8 * np.pi * blur**4)
    weight[(a * a < 4 * floor) | (b * b < 4 * floor)] = 0
    busy = weight > 0
    if busy.sum() < 64:
        return 0.0, 0.0
    cap = float(np.quantile(weight[busy], 0.95))
    weight = np.minimum(weight, cap)
    sign = np.sign(product) * weight
    return _voted(_tiled(sign), _tiled(weight))


def _tiled(values: F32) -> npt.NDArray[np.float64]:
    rows = np.linspace(0, values.shape[0], TILES + 1).astype(int)[:-1]
    columns = np.linspace(0, values.shape[1], TILES + 1).astype(int)[:-1]
    return np.add.reduceat(np.add.reduceat(values.astype(np.float64), rows, 0), columns, 1).ravel()


def _voted(signs: npt.NDArray[np.float64], weights: npt.NDArray[np.float64]) -> tuple[float, float]:
    """Agreement over all tiles, and over its standard error from how much the tiles differ."""
    total = weights.sum()
    mean = signs.sum() / total
    off = signs - mean * weights
    error = np.sqrt((off**2).sum()) / total
    return float(mean), float(mean / max(error, 1e-3))
