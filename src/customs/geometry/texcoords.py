"""Texture coordinates measured: out of range, flipped, overlapping, texel density."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
U32 = npt.NDArray[np.uint32]
CELLS_PER_FACE = 16
"""Cells an average triangle should cover where overlaps are looked for."""
LEAST_GRID, MOST_GRID = 512, 2048
LEAST_SAMPLES = 6
"""A triangle of fewer cells is too small to judge."""


def uv_areas(uv: F32, faces: U32) -> F64:
    """Signed area (F,) of each triangle in UV; positive where it runs as on the surface (V down, so the sign
    is turned).
    """
    a, b, c = (uv[faces[:, k]].astype(np.float64) for k in range(3))
    return -0.5 * ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1]))


def flipped(uv: F32, faces: U32) -> Mask:
    """(F,) True where a triangle is mirrored in UV."""
    return uv_areas(uv, faces) < -1e-12


def face_areas(points: F32, faces: U32) -> F64:
    """Area (F,) of each triangle, in squared units."""
    a, b, c = (points[faces[:, k]].astype(np.float64) for k in range(3))
    u, v = b - a, c - a
    cross = np.stack([u[:, 1] * v[:, 2] - u[:, 2] * v[:, 1], u[:, 2] * v[:, 0] - u[:, 0] * v[:, 2],
                      u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]])  # fmt: skip
    return 0.5 * np.sqrt((cross**2).sum(axis=0))


def texel_density(points: F32, uv: F32, faces: U32, width: int, height: int, scale: float = 1.0) -> F64:
    """Pixels per unit (F,) of each triangle with a texture of `width` × `height`: √(area in pixels / area).

    `scale` is how many times the texture repeats beside what UV says. Faces without area get 0.
    """
    area = face_areas(points, faces)
    texels = np.abs(uv_areas(uv, faces)) * width * height * scale * scale
    return np.sqrt(np.divide(texels, area, out=np.zeros_like(area), where=area > 1e-14))


def overlapping(uv: F32, faces: U32) -> Mask:
    """(F,) True where a triangle shares most of its part of the texture with another, found on a grid.

    Coordinates are wrapped into 0..1. Cells on the rim between neighbours are few, so a face overlaps when
    more than half of its cells are covered again. Triangles of under LEAST_SAMPLES cells are not judged.
    """
    count = len(faces)
    areas = np.abs(uv_areas(uv, faces))
    whole = float(areas.sum())
    if not count or whole <= 0:
        return np.zeros(count, dtype=bool)
    grid = int(np.clip(np.sqrt(CELLS_PER_FACE * count / min(whole, 1.0)), LEAST_GRID, MOST_GRID))
    owner, cell = _samples(uv, faces, areas, grid)
    order = np.argsort(cell, kind="stable")
    cell, owner = cell[order], owner[order]
    new = np.concatenate([[True], cell[1:] != cell[:-1]])
    start, group = np.flatnonzero(new), np.cumsum(new) - 1
    shared = (np.minimum.reduceat(owner, start) != np.maximum.reduceat(owner, start))[group]
    hits, total = np.bincount(owner[shared], minlength=count), np.bincount(owner, minlength=count)
    return (hits > 0.5 * total) & (total >= LEAST_SAMPLES)


def _samples(uv: F32, faces: U32, areas: F64, grid: int) -> tuple[npt.NDArray[Any], npt.NDArray[Any]]:
    """(face, cell) of points spread evenly over the triangles, drawn in a little so that neighbours do not
    meet.
    """
    wanted = np.clip(np.ceil(areas * grid * grid), 1, 4096).astype(np.int64)
    owner = np.repeat(np.arange(len(faces)), wanted)
    place = np.arange(len(owner)) - np.repeat(np.cumsum(wanted) - wanted, wanted)
    # An even spread of points by the plastic number (Roberts, "The unreasonable effectiveness of quasirandom
    # sequences").
    s, t = (place * 0.7548776662466927 + 0.5) % 1, (place * 0.5698402909980532 + 0.5) % 1
    over = s + t > 1
    s, t = np.where(over, 1 - s, s), np.where(over, 1 - t, t)
    third, shrink = 1 / 3, 0.92
    s, t = third + (s - third) * shrink, third + (t - third) * shrink
    a, b, c = (uv[faces[owner, k]].astype(np.float64) for k in range(3))
    points = a + s[:, None] * (b - a) + t[:, None] * (c - a)
    cells = np.floor((points % 1) * grid).astype(np.int64) % grid
    return owner, cells[:, 1] * grid + cells[:, 0]
