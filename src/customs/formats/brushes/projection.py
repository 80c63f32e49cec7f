"""Texture coordinates of brush faces, by both ways a text says them: along the axes of the level, or along axes of the face's own."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]

WAYS = np.array([[0, 0, 1], [0, 0, -1], [1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0]], float)
"""Directions a face may look in, the first that fits best counts: floors, ceilings, then walls (common practice of the form)."""
ACROSS = np.array([[1, 0, 0], [1, 0, 0], [0, 1, 0], [0, 1, 0], [1, 0, 0], [1, 0, 0]], float)
DOWN = np.array([[0, -1, 0], [0, -1, 0], [0, 0, -1], [0, 0, -1], [0, 0, -1], [0, 0, -1]], float)
"""Axes along which the texture's columns and rows grow, for each of them."""


def axes_of(normals: F64, given: npt.NDArray[np.bool_], axes: F64, turn: F64, scale: F64) -> tuple[F64, F64]:
    """(axes (F, 2, 3) in pixels per unit, offsets (F, 2) in pixels) of faces with unit normals (F, 3), from what the text says: `axes`
    (F, 2, 4), `turn` (F,) degrees about the face, `scale` (F, 2) units per pixel, zero taken for one.
    """
    scale = np.where(scale == 0, 1.0, scale)
    # What is equally near is taken in the order of the table, whatever the last bit of a normal says.
    best = np.argmax(np.round(normals @ WAYS.T, 9), axis=1)
    usual = np.stack([ACROSS[best], DOWN[best]], axis=1)
    # Turned within the plane of the two axes, from the first that is not zero in the order of the level's axes towards the other.
    angle = np.radians(turn)
    cos, sin = np.cos(angle), np.sin(angle)
    s_at, t_at = np.argmax(ACROSS[best] != 0, axis=1), np.argmax(DOWN[best] != 0, axis=1)
    rows = np.arange(len(best))
    turned = usual.copy()
    for k in range(2):
        s, t = usual[rows, k, s_at], usual[rows, k, t_at]
        turned[rows, k, s_at] = cos * s - sin * t
        turned[rows, k, t_at] = sin * s + cos * t
    along = np.where(given[:, None, None], axes[:, :, :3], turned)
    return along / scale[:, :, None], axes[:, :, 3]


def texcoords(points: F64, face: Ints, along: F64, offsets: F64, sizes: F64) -> F64:
    """(N, 2) coordinates of corners (N, 3) of faces (N,), V growing downward, by each face's texture size (F, 2) in pixels."""
    pixels = np.einsum("nij,nj->ni", along[face], points) + offsets[face]
    return pixels / sizes[face]
