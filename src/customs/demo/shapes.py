"""Building blocks: surfaces as (positions, uvs, faces)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
Array = npt.NDArray[Any]


@dataclass(frozen=True, eq=False)
class Shape:
    """`points` (V, 3) metres Y up, `uvs` (V, 2) V down, `faces` (F, 3) ccw outward."""

    points: F64
    uvs: F64
    faces: Array

    def moved(self, x: float = 0, y: float = 0, z: float = 0) -> Shape:
        """Shifted by metres."""
        return Shape(self.points + np.array([x, y, z]), self.uvs, self.faces)

    def scaled(self, x: float, y: float, z: float) -> Shape:
        """Stretched by positive factors."""
        return Shape(self.points * np.array([x, y, z]), self.uvs, self.faces)

    def turned(self, axis: int, degrees: float) -> Shape:
        """Turned about axis 0, 1 or 2 through the origin, right-hand rule."""
        c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        m = np.eye(3)
        i, j = (axis + 1) % 3, (axis + 2) % 3
        m[i, i], m[i, j], m[j, i], m[j, j] = c, -s, s, c
        return Shape(self.points @ m.T, self.uvs, self.faces)

    def tiled(self, u: float, v: float) -> Shape:
        """UVs multiplied."""
        return Shape(self.points, self.uvs * np.array([u, v]), self.faces)

    def reversed(self) -> Shape:
        """Faces turned over."""
        return Shape(self.points, self.uvs, self.faces[:, ::-1])


def joined(parts: Sequence[Shape]) -> Shape:
    """Several shapes as one."""
    starts = np.cumsum([0, *(len(p.points) for p in parts)])
    return Shape(
        np.concatenate([p.points for p in parts]),
        np.concatenate([p.uvs for p in parts]),
        np.concatenate([p.faces + s for p, s in zip(parts, starts)]),
    )


def grid_faces(rows: int, columns: int) -> Array:
    """Faces of a grid of (rows + 1) × (columns + 1) vertices, row by row."""
    r, c = np.meshgrid(np.arange(rows), np.arange(columns), indexing="ij")
    a = (r * (columns + 1) + c).reshape(-1)
    b, d, e = a + 1, a + columns + 1, a + columns + 2
    return np.concatenate([np.stack([a, d, b], 1), np.stack([b, d, e], 1)])


def lathe(profile: Sequence[tuple[float, float]], sides: int = 24) -> Shape:
    """A profile of (radius, height) from bottom to top, turned about Y. Poles may have radius 0."""
    p = np.array(profile, dtype=float)
    turn = np.linspace(0, 2 * np.pi, sides + 1)
    radius, height = p[:, 0][:, None], p[:, 1][:, None]
    points = np.stack(
        [radius * np.sin(turn), np.broadcast_to(height, (len(p), sides + 1)), radius * np.cos(turn)], axis=2
    )
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1))])
    v = 1 - length / length[-1]
    uvs = np.stack(
        [
            np.broadcast_to(turn / (2 * np.pi), (len(p), sides + 1)),
            np.broadcast_to(v[:, None], (len(p), sides + 1)),
        ],
        2,
    )
    faces = grid_faces(len(p) - 1, sides)[:, ::-1]
    flat = points.reshape(-1, 3)
    a, b, c = flat[faces[:, 0]], flat[faces[:, 1]], flat[faces[:, 2]]
    sound = np.linalg.norm(np.cross(b - a, c - a), axis=1) > 1e-12
    return Shape(flat, uvs.reshape(-1, 2), faces[sound])


def tube(path: Sequence[Any], radii: Sequence[float], sides: int = 12, caps: bool = True) -> Shape:
    """A tube through `path` (N points) with a radius at each; ends closed to a point when `caps`."""
    p, r = np.array(path, dtype=float), np.array(radii, dtype=float)
    if caps:
        p = np.concatenate([p[:1], p, p[-1:]])
        r = np.concatenate([[0], r, [0]])
    step = np.gradient(p, axis=0)
    step[0], step[-1] = p[min(2, len(p) - 1)] - p[0], p[-1] - p[max(-3, -len(p))]
    step /= np.maximum(np.linalg.norm(step, axis=1, keepdims=True), 1e-9)
    side = np.cross(step, [0.0, 0.0, 1.0])
    weak = np.linalg.norm(side, axis=1) < 0.1
    side[weak] = np.cross(step[weak], [1.0, 0.0, 0.0])
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    other = np.cross(side, step)
    turn = np.linspace(0, 2 * np.pi, sides + 1)
    ring = side[:, None] * np.cos(turn)[None, :, None] + other[:, None] * np.sin(turn)[None, :, None]
    points = p[:, None] + ring * r[:, None, None]
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1))])
    v = length / max(length[-1], 1e-9)
    uvs = np.stack(
        [
            np.broadcast_to(turn / (2 * np.pi), points.shape[:2]),
            np.broadcast_to(v[:, None], points.shape[:2]),
        ],
        2,
    )
    faces = grid_faces(len(p) - 1, sides)
    flat = points.reshape(-1, 3)
    a, b, c = flat[faces[:, 0]], flat[faces[:, 1]], flat[faces[:, 2]]
    sound = np.linalg.norm(np.cross(b - a, c - a), axis=1) > 1e-12
    shape = Shape(flat, uvs.reshape(-1, 2), faces[sound])
    return shape if _volume(shape) > 0 else shape.reversed()


def _volume(shape: Shape) -> float:
    a, b, c = (shape.points[shape.faces[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->", a, np.cross(b, c)))


def box(x: float, y: float, z: float, bevel: float = 0.0) -> Shape:
    """A box of that size standing on the ground about the Y axis; edges cut by `bevel` metres."""
    sides = []
    for axis in range(3):
        for sign in (1, -1):
            sides.append(_side(np.array([x, y, z]) / 2, axis, sign, bevel))
    if bevel:
        sides += _bevels(np.array([x, y, z]) / 2, bevel)
    return joined(sides).moved(0, y / 2, 0)


def _side(half: F64, axis: int, sign: int, bevel: float) -> Shape:
    i, j = (axis + 1) % 3, (axis + 2) % 3
    corners = np.zeros((4, 3))
    corners[:, axis] = sign * half[axis]
    corners[:, i] = np.array([-1, 1, 1, -1]) * (half[i] - bevel)
    corners[:, j] = np.array([-1, -1, 1, 1]) * (half[j] - bevel)
    faces = np.array([[0, 1, 2], [0, 2, 3]])
    uvs = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], dtype=float)
    return Shape(corners, uvs, faces if sign > 0 else faces[:, ::-1])


def _bevels(half: F64, bevel: float) -> list[Shape]:
    """The twelve strips and eight corners a bevel leaves open, built outward by their own centre."""
    out = []
    for axis in range(3):
        i, j = (axis + 1) % 3, (axis + 2) % 3
        for si in (1, -1):
            for sj in (1, -1):
                q = np.zeros((4, 3))
                q[:, axis] = np.array([-1, 1, 1, -1]) * (half[axis] - bevel)
                q[:2, i], q[:2, j] = si * half[i], sj * (half[j] - bevel)
                q[2:, i], q[2:, j] = si * (half[i] - bevel), sj * half[j]
                out.append(_outward(q, np.array([[0, 1, 2], [0, 2, 3]])))
    for sx in (1, -1):
        for sy in (1, -1):
            for sz in (1, -1):
                s = np.array([sx, sy, sz])
                q = np.tile(s * (half - bevel), (3, 1))
                q[range(3), range(3)] = s * half
                out.append(_outward(q, np.array([[0, 1, 2]])))
    return out


def _outward(points: F64, faces: Array) -> Shape:
    uvs = np.array([[0, 1], [1, 1], [1, 0.9], [0, 0.9]], dtype=float)[: len(points)]
    a, b, c = points[faces[0]]
    good = np.cross(b - a, c - a) @ points.mean(axis=0) > 0
    return Shape(points, uvs, faces if good else faces[:, ::-1])


def sheet(outline: Sequence[tuple[float, float]], bend: float, rows: int = 6) -> Shape:
    """A flat strip along +Z: (distance, half width) pairs, bent down by `bend` radians over its length."""
    o = np.array(outline, dtype=float)
    t = np.linspace(0, 1, rows + 1)
    along, half = np.interp(t, o[:, 0] / o[-1, 0], o[:, 0]), np.interp(t, o[:, 0] / o[-1, 0], o[:, 1])
    angle = bend * t
    step = np.diff(along, prepend=0)
    z, y = np.cumsum(np.cos(angle) * step), -np.cumsum(np.sin(angle) * step)
    across = np.array([-1.0, 0.0, 1.0])
    points = np.stack(
        [
            half[:, None] * across,
            y[:, None] - 0.12 * half[:, None] * np.abs(across),
            np.repeat(z[:, None], 3, 1),
        ],
        2,
    )
    uvs = np.stack(
        [np.broadcast_to((across + 1) / 2, (rows + 1, 3)), np.broadcast_to(1 - t[:, None], (rows + 1, 3))], 2
    )
    return Shape(points.reshape(-1, 3), uvs.reshape(-1, 2), grid_faces(rows, 2))
