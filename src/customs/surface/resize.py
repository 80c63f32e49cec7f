"""Resizing textures: smaller and larger, wrapping where they tile."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
import PIL.Image

from customs.kernels.cores import cuts, on_cores
from customs.later import later
from customs.surface.colour import to_linear, to_srgb
from customs.surface.room import need_room
from customs.tolerances import RESIZING

ndimage = later("scipy.ndimage")
F32 = npt.NDArray[np.float32]
REACH = 3
"""Pixels a Lanczos window reaches to each side, at the coarser of the two sizes."""
ROUNDS = 6
"""Rounds of putting back what an enlarged picture lost; more gain under 0.02 dB."""
ALONE = 1 << 16
"""Pixels up to which a texture is resized on one core."""


def power_of_two(edge: int, limit: int) -> int:
    """The power of two closest to `edge` by ratio (ties go up), at most `limit`."""
    power = 1 << int(np.floor(np.log2(max(edge, 1)) + 0.5))
    while power > limit:
        power //= 2
    return max(power, 1)


def fitted(
    width: int, height: int, limit: int, powers: bool, square: bool = False, least: int = 1
) -> tuple[int, int]:
    """The size a texture of `width` × `height` pixels gets: within `limit`, power of two and square when
    asked.

    A texture whose longest edge is under `least` grows to it.
    """
    if max(width, height) < least:
        ratio = least / max(width, height)
        width, height = max(1, round(width * ratio)), max(1, round(height * ratio))
    if powers:
        width, height = power_of_two(width, limit), power_of_two(height, limit)
    elif max(width, height) > limit:
        ratio = limit / max(width, height)
        width, height = max(1, round(width * ratio)), max(1, round(height * ratio))
    return (max(width, height),) * 2 if square else (width, height)


def resize(
    pixels: npt.NDArray[Any],
    width: int,
    height: int,
    colour: bool,
    normal: bool = False,
    wrap: tuple[bool, bool] = (False, False),
) -> npt.NDArray[Any]:
    """`pixels` (H, W, C) uint8 or uint16 at a new size, same dtype.

    Smaller with a Lanczos window; larger with edges kept (see `enlarged`). `colour` works in linear light
    with colours weighted by alpha; `normal` scales the vectors back to length 1; `wrap` says along which of U
    and V the texture tiles. Raises LimitError where there is no memory for it.
    """
    if pixels.shape[:2] == (height, width):
        return pixels
    need_room(
        pixels.shape[1],
        pixels.shape[0],
        max(pixels.nbytes, width * height * pixels.shape[2]),
        RESIZING,
        "resizing",
    )
    top = np.float32(np.iinfo(pixels.dtype).max)
    values = pixels.astype(np.float32) / top
    channels = values.shape[2]
    alpha = channels in (2, 4)
    tone = channels - 1 if alpha else channels
    if colour:
        values[..., :tone] = to_linear(values[..., :tone])
        if alpha:
            values[..., :tone] *= values[..., -1:]
    larger = height >= pixels.shape[0] and width >= pixels.shape[1]
    make = enlarged if larger else lanczos
    out = np.empty((height, width, channels), np.float32)

    def fill(part: tuple[int, int]) -> None:
        for c in range(*part):
            out[..., c] = make(values[..., c], width, height, wrap)

    # Pillow and SciPy let go of the interpreter while they work.
    on_cores(fill, cuts(channels) if width * height > ALONE else [(0, channels)])
    np.clip(out, 0, 1, out=out)
    if colour:
        if alpha:
            out[..., :tone] /= np.where(out[..., -1:] > 1e-4, out[..., -1:], 1)
        out[..., :tone] = to_srgb(np.clip(out[..., :tone], 0, 1))
    if normal and channels >= 3:
        out[..., :3] = unit(out[..., :3])
    return np.round(out * top).astype(pixels.dtype)


def unit(values: F32) -> F32:
    """Vectors coded as 0..1 (H, W, 3), brought to length 1."""
    vectors = values * 2 - 1
    length = np.linalg.norm(vectors, axis=-1, keepdims=True)
    out: F32 = (vectors / np.where(length > 0, length, 1) * 0.5 + 0.5).astype(np.float32)
    return out


def _filtered(
    plane: F32, width: int, height: int, wrap: tuple[bool, bool], window: PIL.Image.Resampling
) -> F32:
    """One channel (H, W) at a new size; where it wraps it is continued by itself first."""
    rows, columns = plane.shape
    pad_x = min(columns, int(np.ceil(REACH * max(1.0, columns / width))) + 1) if wrap[0] else 0
    pad_y = min(rows, int(np.ceil(REACH * max(1.0, rows / height))) + 1) if wrap[1] else 0
    if pad_x or pad_y:
        plane = np.pad(plane, ((pad_y, pad_y), (pad_x, pad_x)), mode="wrap")
    box = (pad_x, pad_y, pad_x + columns, pad_y + rows)
    return np.asarray(
        PIL.Image.fromarray(np.ascontiguousarray(plane)).resize((width, height), window, box=box)
    )


def lanczos(plane: F32, width: int, height: int, wrap: tuple[bool, bool] = (False, False)) -> F32:
    """One channel (H, W) float32 through a Lanczos window of three lobes."""
    return _filtered(plane, width, height, wrap, PIL.Image.Resampling.LANCZOS)


def _range(plane: F32, wrap: tuple[bool, bool]) -> tuple[F32, F32]:
    """Least and most of each pixel's three by three neighbours."""
    padded = np.pad(plane, ((1, 1), (0, 0)), mode="wrap" if wrap[1] else "edge")
    padded = np.pad(padded, ((0, 0), (1, 1)), mode="wrap" if wrap[0] else "edge")
    low, high = ndimage.minimum_filter(padded, 3), ndimage.maximum_filter(padded, 3)
    return low[1:-1, 1:-1], high[1:-1, 1:-1]


def enlarged(plane: F32, width: int, height: int, wrap: tuple[bool, bool] = (False, False)) -> F32:
    """One channel (H, W) float32 at a larger size with edges kept sharp and hardly a halo.

    A Lanczos picture is made small again and what differs from the original is put back, round after round;
    each pixel stays within the range of its neighbourhood in the original. Source: iterative back-projection
    (Irani and Peleg, 1991), with the local range as our own guard against ringing.
    """
    rows, columns = plane.shape
    low, high = _range(plane, wrap)
    spread = high - low
    low, high = low - 0.1 * spread, high + 0.1 * spread
    nearest = (np.arange(height) * rows // height)[:, None], (np.arange(width) * columns // width)[None, :]
    low, high = low[nearest], high[nearest]
    out = lanczos(plane, width, height, wrap)
    for _ in range(ROUNDS):
        back = _filtered(out, columns, rows, wrap, PIL.Image.Resampling.BOX)
        out = np.clip(
            out + _filtered(plane - back, width, height, wrap, PIL.Image.Resampling.BICUBIC), low, high
        )
    return out
