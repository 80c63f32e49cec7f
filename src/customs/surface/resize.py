"""Resizing textures."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
import PIL.Image

from customs.surface.colour import to_linear, to_srgb


def power_of_two(edge: int, limit: int) -> int:
    """The power of two closest to `edge` by ratio (ties go up), at most `limit`."""
    power = 1 << int(np.floor(np.log2(max(edge, 1)) + 0.5))
    while power > limit:
        power //= 2
    return max(power, 1)


def fitted(width: int, height: int, limit: int, powers: bool, square: bool = False) -> tuple[int, int]:
    """The size a texture of `width` × `height` pixels gets: within `limit`, power of two and square when asked."""
    if powers:
        width, height = power_of_two(width, limit), power_of_two(height, limit)
    elif max(width, height) > limit:
        ratio = limit / max(width, height)
        width, height = max(1, round(width * ratio)), max(1, round(height * ratio))
    return (max(width, height),) * 2 if square else (width, height)


def resize(pixels: npt.NDArray[Any], width: int, height: int, colour: bool, normal: bool = False) -> npt.NDArray[Any]:
    """`pixels` (H, W, C) uint8 or uint16 at a new size, Lanczos window, same dtype.

    `colour` resizes in linear light with colours weighted by alpha; `normal` scales the vectors back to length 1.
    """
    if pixels.shape[:2] == (height, width):
        return pixels
    top = np.float32(np.iinfo(pixels.dtype).max)
    values = pixels.astype(np.float32) / top
    channels = values.shape[2]
    alpha = channels in (2, 4)
    if colour:
        tone = channels - 1 if alpha else channels
        values[..., :tone] = to_linear(values[..., :tone])
        if alpha:
            values[..., :tone] *= values[..., -1:]
    planes = [
        np.asarray(PIL.Image.fromarray(values[..., c]).resize((width, height), PIL.Image.Resampling.LANCZOS))
        for c in range(channels)
    ]
    out = np.clip(np.stack(planes, axis=-1), 0, 1)
    if colour:
        if alpha:
            out[..., :tone] /= np.where(out[..., -1:] > 1e-4, out[..., -1:], 1)
        out[..., :tone] = to_srgb(np.clip(out[..., :tone], 0, 1))
    if normal and channels >= 3:
        vectors = out[..., :3] * 2 - 1
        length = np.linalg.norm(vectors, axis=-1, keepdims=True)
        out[..., :3] = vectors / np.where(length > 0, length, 1) * 0.5 + 0.5
    return np.round(out * top).astype(pixels.dtype)
