"""Normal maps: from heights, laid over each other, flipped, completed from two channels."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.surface.files.pillow import to_eight

F32 = npt.NDArray[np.float32]
U8 = npt.NDArray[np.uint8]


def vectors(pixels: npt.NDArray[Any]) -> F32:
    """Unit vectors (H, W, 3) of a normal map; with two channels the third is worked out."""
    top = np.float32(np.iinfo(pixels.dtype).max)
    v = pixels[:, :, :3].astype(np.float32) * (2 / top) - 1
    if pixels.shape[2] == 2:
        return completed(v)
    length = np.linalg.norm(v, axis=-1, keepdims=True)
    return (v / np.where(length > 1e-6, length, 1)).astype(np.float32)


def completed(xy: F32) -> F32:
    """Vectors (H, W, 3) from their first two components: z = √(1 − x² − y²), outward."""
    x, y = xy[:, :, 0], xy[:, :, 1]
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0))
    out = np.stack([x, y, z], axis=-1)
    length = np.linalg.norm(out, axis=-1, keepdims=True)
    return (out / np.where(length > 1e-6, length, 1)).astype(np.float32)


def coded(v: F32) -> U8:
    """Vectors as pixels: 0..255 for −1..1."""
    return np.clip(np.round((v + 1) * 127.5), 0, 255).astype(np.uint8)


def flipped_green(pixels: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """The map with green the other way: exact, and undone by itself."""
    out = pixels.copy()
    out[:, :, 1] = np.iinfo(pixels.dtype).max - out[:, :, 1]
    return out


def two_to_three(pixels: npt.NDArray[Any]) -> U8:
    """A three-channel map from one that holds red and green alone."""
    top = np.float32(np.iinfo(pixels.dtype).max)
    return coded(completed(pixels[:, :, :2].astype(np.float32) * (2 / top) - 1))


def from_height(pixels: npt.NDArray[Any], strength: float, wrap: bool = True) -> U8:
    """Normal map (H, W, 3), green up, of a height map (H, W, C): its first channel, or the mean of three.

    `strength` is how many pixels high a full white stands over black. Slopes by the filter of Scharr (3, 10,
    3).
    """
    top = np.float32(np.iinfo(pixels.dtype).max)
    tone = pixels[:, :, :3].mean(axis=2) if pixels.shape[2] >= 3 else pixels[:, :, 0]
    height = np.pad(tone.astype(np.float32) / top * strength, 1, mode="wrap" if wrap else "edge")
    dx = (
        sum(
            w * (height[1 + r : height.shape[0] - 1 + r, 2:] - height[1 + r : height.shape[0] - 1 + r, :-2])
            for r, w in ((-1, 3), (0, 10), (1, 3))
        )
        / 32
    )
    dy = (
        sum(
            w * (height[2:, 1 + c : height.shape[1] - 1 + c] - height[:-2, 1 + c : height.shape[1] - 1 + c])
            for c, w in ((-1, 3), (0, 10), (1, 3))
        )
        / 32
    )
    v = np.stack([-dx, dy, np.ones_like(dx)], axis=-1)
    return coded((v / np.linalg.norm(v, axis=-1, keepdims=True)).astype(np.float32))


def combined(base: npt.NDArray[Any], detail: npt.NDArray[Any], strength: float = 1.0) -> U8:
    """Two normal maps of one size laid over each other: the detail turned to stand on the base.

    Source: Barré-Brisebois and Hill, "Blending in Detail" (2012), reoriented normal mapping.
    """
    b, d = vectors(base), vectors(detail)
    d = d * np.array([strength, strength, 1], np.float32)
    d /= np.linalg.norm(d, axis=-1, keepdims=True)
    t = b + np.array([0, 0, 1], np.float32)
    u = d * np.array([-1, -1, 1], np.float32)
    out = t * (np.einsum("ijk,ijk->ij", t, u) / np.maximum(t[:, :, 2], 1e-4))[:, :, None] - u
    return coded((out / np.linalg.norm(out, axis=-1, keepdims=True)).astype(np.float32))


def renormalised(pixels: npt.NDArray[Any]) -> U8:
    """The map with every vector one long again."""
    out = to_eight(pixels).copy()
    out[:, :, :3] = coded(vectors(pixels))
    return out
