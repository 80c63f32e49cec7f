"""Triangles into a grid of pixels."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
I32 = npt.NDArray[np.int32]
U32 = npt.NDArray[np.uint32]
CHUNK = 2_000_000
"""Pixels looked at in one go."""
RIM = 1e-6


def covered(uv: F32, faces: U32, width: int, height: int) -> tuple[I32, F32]:
    """(face (H, W) or −1, weights (H, W, 3) of its corners) for every pixel whose middle lies in a triangle
    of `uv` (V, 2).

    Coordinates run 0..1 over the picture, rows from the top; where triangles lie over each other the later
    one is seen.
    """
    owner = np.full(height * width, -1, np.int32)
    weights = np.zeros((height * width, 3), np.float32)
    corners = uv[faces].astype(np.float64) * (width, height)
    low = np.clip(np.floor(corners.min(axis=1) - 0.5), 0, (width, height)).astype(np.int64)
    high = np.clip(np.ceil(corners.max(axis=1) + 0.5), 0, (width, height)).astype(np.int64)
    size = np.maximum(high - low, 0)
    for chosen in _chunks(size[:, 0] * size[:, 1]):
        place, face, bary = _inside(corners, low, size, chosen, width)
        owner[place], weights[place] = face, bary
    return owner.reshape(height, width), weights.reshape(height, width, 3)


def _chunks(counts: npt.NDArray[np.int64]) -> Iterator[npt.NDArray[np.int64]]:
    """Numbers of triangles that together look at CHUNK pixels at most; a larger one goes alone."""
    group = np.cumsum(counts) // CHUNK
    for g in np.unique(group):
        yield np.flatnonzero((group == g) & (counts > 0))


def _inside(corners: F64, low: Any, size: Any, chosen: Any, width: int) -> tuple[Any, Any, Any]:
    """(pixel, face, weights) of the pixels whose middles lie in the triangles `chosen`."""
    counts = size[chosen, 0] * size[chosen, 1]
    face = np.repeat(chosen, counts)
    number = np.arange(len(face)) - np.repeat(np.cumsum(counts) - counts, counts)
    x, y = low[face, 0] + number % size[face, 0], low[face, 1] + number // size[face, 0]
    a, b, c = (corners[face, k] for k in range(3))
    px, py = x + 0.5, y + 0.5
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])
    with np.errstate(divide="ignore", invalid="ignore"):
        wb = ((px - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (py - a[:, 1])) / area
        wc = ((b[:, 0] - a[:, 0]) * (py - a[:, 1]) - (px - a[:, 0]) * (b[:, 1] - a[:, 1])) / area
        good = (wb >= -RIM) & (wc >= -RIM) & (wb + wc <= 1 + RIM)
    wb, wc = wb[good], wc[good]
    bary = np.stack([1 - wb - wc, wb, wc], axis=1)
    return (y * width + x)[good], face[good], bary


def spans(points: F64, faces: npt.NDArray[Any], low: Any, cell: float, lowest: F64, highest: F64) -> None:
    """Takes triangles (F, 3) of places (V, 3), Y up, into columns of the plan: `lowest` and `highest` (H, W) are changed to the least and the
    greatest height over the middle of each square of edge `cell`, from corner `low` (2,) on along X and Z. What stands upright has no middle
    over it and counts for nothing.
    """
    height, width = lowest.shape
    flat = (points[:, [0, 2]] - np.asarray(low, np.float64)) / cell
    corners = flat[faces]
    first = np.clip(np.floor(corners.min(axis=1) - 0.5), 0, (width, height)).astype(np.int64)
    last = np.clip(np.ceil(corners.max(axis=1) + 0.5), 0, (width, height)).astype(np.int64)
    size = np.maximum(last - first, 0)
    for chosen in _chunks(size[:, 0] * size[:, 1]):
        place, face, bary = _inside(corners, first, size, chosen, width)
        at = np.einsum("nk,nk->n", points[faces[face], 1], bary)
        np.minimum.at(lowest.reshape(-1), place, at)
        np.maximum.at(highest.reshape(-1), place, at)
