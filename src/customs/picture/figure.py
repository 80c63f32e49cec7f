"""The standing figure: 1.80 m tall, of plain turned parts."""

from __future__ import annotations

from functools import cache

import numpy as np
import numpy.typing as npt

from customs.geometry.normals import smooth_normals
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Primitive

F64 = npt.NDArray[np.float64]
HEIGHT = 1.80


def _turned(
    profile: list[tuple[float, float]], sides: int, x: float, z: float, flat: float = 1.0, lean: float = 0.0
) -> tuple[F64, npt.NDArray[np.int64]]:
    p = np.array(profile)
    t = np.arange(sides) * 2 * np.pi / sides
    shift = lean * (p[:, 1] - p[-1, 1])
    points = np.stack(
        [
            p[:, :1] * np.sin(t) + x + shift[:, None],
            np.broadcast_to(p[:, 1:], (len(p), sides)),
            p[:, :1] * np.cos(t) * flat + z,
        ],
        axis=2,
    ).reshape(-1, 3)
    r, c = np.meshgrid(np.arange(len(p) - 1), np.arange(sides), indexing="ij")
    a, b = r * sides + c, r * sides + (c + 1) % sides
    faces = np.concatenate(
        [np.stack([a, b, a + sides], 2).reshape(-1, 3), np.stack([b, b + sides, a + sides], 2).reshape(-1, 3)]
    )
    return points, faces


@cache
def standing_figure() -> Primitive:
    """The figure at the origin facing +Z, feet at 0."""
    parts = [
        _turned([(0.02, 1.56), (0.085, 1.60), (0.10, 1.69), (0.075, 1.77), (0.01, 1.80)], 14, 0, 0.0),
        _turned([(0.055, 1.44), (0.05, 1.56), (0.03, 1.58)], 12, 0, 0.0),
        _turned(
            [
                (0.01, 0.86),
                (0.16, 0.90),
                (0.135, 1.08),
                (0.17, 1.32),
                (0.19, 1.42),
                (0.08, 1.50),
                (0.02, 1.50),
            ],
            16,
            0,
            0,
            0.62,
        ),
    ]
    for side in (1, -1):
        leg = [(0.02, 0.0), (0.05, 0.02), (0.045, 0.10), (0.062, 0.45), (0.085, 0.80), (0.075, 0.92)]
        arm = [
            (0.015, 0.78),
            (0.036, 0.80),
            (0.034, 1.00),
            (0.042, 1.16),
            (0.052, 1.38),
            (0.04, 1.44),
            (0.005, 1.46),
        ]
        parts += [_turned(leg, 12, 0.095 * side, 0), _turned(arm, 10, 0.215 * side, 0, 1.0, -0.10 * side)]
        parts.append(
            _turned([(0.01, 0.0), (0.045, 0.005), (0.042, 0.05), (0.01, 0.07)], 10, 0.098 * side, 0.07, 2.2)
        )
    points = np.concatenate([p for p, _ in parts])
    starts = np.cumsum([0, *(len(p) for p, _ in parts)])
    faces = np.concatenate([f + s for (_, f), s in zip(parts, starts)])
    positions, indices = frozen(points), frozen(faces.reshape(-1), np.uint32)
    normals = smooth_normals(positions, indices.reshape(-1, 3))
    return Primitive(Key("figure", "primitive", 0), positions, indices=indices, normals=frozen(normals))
