"""A picture of the texture coordinates of some primitives, laid over their texture."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.texcoords import flipped
from customs.geometry.triangles import triangles_of
from customs.scene.model import Primitive

U8 = npt.NDArray[np.uint8]
MOST_FACES = 40_000
"""Faces drawn at most; more are thinned evenly, as their lines would cover everything."""
TEAL, RUST = np.array([15, 106, 108]), np.array([180, 55, 31])


def uv_picture(prims: Sequence[Primitive], size: int, ground: npt.NDArray[Any] | None = None, texcoord: int = 0) -> U8:
    """(size, size, 3) picture of the square 0..1 with the edges of every triangle; mirrored ones are drawn in rust.

    `ground` (H, W, C) uint8 lies under it, paled. Coordinates outside the square are drawn where they repeat.
    """
    out = _ground(ground, size)
    for prim in prims:
        if texcoord >= len(prim.texcoords):
            continue
        faces = triangles_of(prim)
        faces = faces[:: -(-len(faces) // MOST_FACES)] if len(faces) > MOST_FACES else faces
        uv = prim.texcoords[texcoord]
        if not len(faces) or not np.isfinite(uv).all():
            continue
        over = flipped(uv, faces)
        for chosen, tone in ((faces[~over], TEAL), (faces[over], RUST)):
            if len(chosen):
                _draw(out, uv, chosen, tone)
    return out


def _ground(ground: npt.NDArray[Any] | None, size: int) -> U8:
    out = np.full((size, size, 3), 246, np.uint8)
    if ground is None:
        return out
    rows = np.linspace(0, ground.shape[0] - 1, size).astype(int)
    columns = np.linspace(0, ground.shape[1] - 1, size).astype(int)
    picked = ground[np.ix_(rows, columns)]
    tone = picked[:, :, :3] if picked.shape[2] >= 3 else np.repeat(picked[:, :, :1], 3, axis=2)
    return (tone.astype(np.float32) * 0.45 + 246 * 0.55).astype(np.uint8)


def _draw(out: U8, uv: npt.NDArray[np.float32], faces: npt.NDArray[np.uint32], tone: npt.NDArray[Any]) -> None:
    """All edges as rows of points, close enough to touch for the longest among them."""
    size = out.shape[0]
    a, b = uv[faces.reshape(-1)], uv[np.roll(faces, -1, axis=1).reshape(-1)]
    longest = float(np.quantile(np.abs(b - a).max(axis=1), 0.98)) * size
    steps = int(np.clip(longest, 2, min(size, 4_000_000 // max(1, len(a)))))
    t = np.linspace(0, 1, steps, dtype=np.float32)[:, None, None]
    points = a + (b - a) * t
    at = np.floor((points - np.floor(points)) * size).astype(np.intp).reshape(-1, 2)
    np.minimum(at, size - 1, out=at)
    out[at[:, 1], at[:, 0]] = tone
