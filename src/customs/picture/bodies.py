"""Simple bodies as triangles and as outlines."""

from __future__ import annotations

from functools import cache

import numpy as np
import numpy.typing as npt

from customs.scene.model import CollisionShape

F32 = npt.NDArray[np.float32]
U32 = npt.NDArray[np.uint32]
ROUND, RINGS = 24, 12
"""Corners around a ball, and from one of its ends to the other: as meshes for a destination, seen as round (common practice)."""


def body_triangles(shape: CollisionShape) -> tuple[F32, U32]:
    """(V, 3) and (F, 3), ccw from outside, of a shape in its node's own axes. Round ones are drawn around, so that what is
    inside the shape is inside its triangles to within a per cent.
    """
    if shape.points is not None and shape.faces is not None:
        return shape.points, shape.faces
    if shape.kind == "box":
        points, faces = _box()
        return points * np.array(shape.half, np.float32), faces
    points, faces = _ball()
    # Between its corners a round of flat sides lies inside the circle, around and from end to end: corners go out by as much.
    out = points * np.float32(shape.radius / (np.cos(np.pi / ROUND) * np.cos(np.pi / RINGS / 2)))
    out[:, 1] += np.where(np.arange(len(out)) < len(out) // 2, -1, 1) * np.float32(shape.half[1])
    # Ends come to a point, and a ball's two halves meet at its waist: what stands in one place is one corner.
    alone, number = np.unique(out, axis=0, return_inverse=True)
    faces = number.reshape(-1)[faces].astype(np.uint32)
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    return alone, faces[whole]


@cache
def _box() -> tuple[F32, U32]:
    points = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float32)
    quads = np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]])
    return points, np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]).astype(np.uint32)


@cache
def _ball() -> tuple[F32, U32]:
    """A ball of radius 1 about the Y axis, its lower half first; the ring at its waist stands twice, once for each half."""
    half = RINGS // 2
    angles = np.concatenate([np.linspace(-np.pi / 2, 0, half + 1), np.linspace(0, np.pi / 2, half + 1)])
    around = np.arange(ROUND) * (2 * np.pi / ROUND)
    points = np.stack(
        [np.outer(_cos(angles), np.cos(around)), np.outer(np.sin(angles), np.ones(ROUND)), np.outer(_cos(angles), np.sin(around))],
        axis=-1,
    )  # fmt: skip
    ring, side = np.meshgrid(np.arange(len(angles) - 1), np.arange(ROUND), indexing="ij")
    a, b = ring * ROUND + side, ring * ROUND + (side + 1) % ROUND
    c, d = a + ROUND, b + ROUND
    faces = np.concatenate([np.stack([a, c, b], -1).reshape(-1, 3), np.stack([b, c, d], -1).reshape(-1, 3)])
    return points.reshape(-1, 3).astype(np.float32), faces.astype(np.uint32)


def _cos(angles: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Cosines that are nothing at the ends, so that they come to one point."""
    return np.where(np.abs(np.abs(angles) - np.pi / 2) < 1e-9, 0.0, np.cos(angles))
