"""Boxes of a figure as faces: all boxes at once, with the part of the texture each face shows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
SIDES = ("east", "west", "up", "down", "south", "north")
"""Faces of a box along +X, −X, +Y, −Y, +Z, −Z of its own axes (common practice; Y up, south towards +Z)."""
CORNERS = np.array(
    [
        [[1, 1, 1], [1, 1, 0], [1, 0, 0], [1, 0, 1]], [[0, 1, 0], [0, 1, 1], [0, 0, 1], [0, 0, 0]],
        [[0, 1, 0], [1, 1, 0], [1, 1, 1], [0, 1, 1]], [[0, 0, 1], [1, 0, 1], [1, 0, 0], [0, 0, 0]],
        [[0, 1, 1], [1, 1, 1], [1, 0, 1], [0, 0, 1]], [[1, 1, 0], [0, 1, 0], [0, 0, 0], [1, 0, 0]],
    ],
    float,
)  # fmt: skip
"""(6, 4, 3) corners of the faces, from the picture's upper left clockwise as seen from outside."""
NORMALS = np.array([[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]], float)
PICTURE = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], float)


def unfolded(cells: F64, size: F64) -> F64:
    """(B, 6, 4) rectangles u0, v0, u1, v1 of the faces of boxes that begin at texture cells (B, 2), of a width, height and depth (B, 3):
    above, the lid and the floor; below, the four sides round it (common practice of the unfolded box).
    """
    u, v = cells[:, 0], cells[:, 1]
    w, h, d = np.floor(np.abs(size)).T
    rows = (
        (u, v + d, u + d, v + d + h), (u + d + w, v + d, u + 2 * d + w, v + d + h),
        (u + d, v, u + d + w, v + d), (u + d + w, v + d, u + d + 2 * w, v),
        (u + d, v + d, u + d + w, v + d + h), (u + 2 * d + w, v + d, u + 2 * d + 2 * w, v + d + h),
    )  # fmt: skip
    return np.stack([np.stack(r, axis=1) for r in rows], axis=1)


def by_face(tables: Sequence[Any], rects: F64) -> F64:
    """Rectangles (B, 6, 4) with those that tables of boxes say by the name of the face: four numbers, or `uv` with `uv_size`."""
    out = rects.copy()
    named = [k for k, t in enumerate(tables) if isinstance(t, dict)]
    for k in named:
        for side, name in enumerate(SIDES):
            out[k, side] = _rectangle(tables[k].get(name), out[k, side])
    return out


def _rectangle(said: Any, usual: F64) -> F64:
    if isinstance(said, dict):
        uv, size = said.get("uv"), said.get("uv_size")
        both = [*uv, *size] if isinstance(uv, list) and isinstance(size, list) else []
        said = [both[0], both[1], both[0] + both[2], both[1] + both[3]] if _four(both) else None
    return np.array(said, float) if _four(said) else usual


def _four(said: Any) -> bool:
    return (
        isinstance(said, list)
        and len(said) == 4
        and all(isinstance(x, int | float) and not isinstance(x, bool) for x in said)
    )


def faces_of(
    low: F64, size: F64, grow: F64, mirror: Mask, rects: F64, texture: F64
) -> tuple[F64, F64, F64, Mask]:
    """(corners (B, 6, 4, 3), normals (B, 6, 3), UVs (B, 6, 4, 2), which faces (B, 6) have an area) of boxes (B, 3) grown on all sides by
    `grow` (B,); those that `mirror` (B,) show their picture the other way round, east and west changed.
    """
    first, wide = low - grow[:, None], size + 2 * grow[:, None]
    corners = first[:, None, None] + CORNERS[None] * wide[:, None, None]
    swapped = rects.copy()
    swapped[mirror, 0], swapped[mirror, 1] = rects[mirror, 1], rects[mirror, 0]
    swapped[mirror] = swapped[mirror][..., [2, 1, 0, 3]]
    uv = swapped[:, :, None, :2] + PICTURE[None, None] * (swapped[..., 2:] - swapped[..., :2])[:, :, None]
    area = np.stack(
        [np.abs(wide[:, a] * wide[:, b]) for a, b in ((1, 2), (1, 2), (0, 2), (0, 2), (0, 1), (0, 1))], axis=1
    )
    return corners, np.broadcast_to(NORMALS, (len(low), 6, 3)), uv / texture, area > 1e-12
