"""Rotations as three angles, for files that keep curves of angles."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.transforms import quaternion_matrix

F64 = npt.NDArray[np.float64]
LOCKED = 1e-7
"""Below this cosine of the middle angle the outer two turn about one axis, and the last is taken as 0 (no
unit).
"""


def euler_degrees(q: Any) -> F64:
    """Angles (T, 3) in degrees about X, then Y, then Z (fixed axes: R = Rz·Ry·Rx) of quaternions (T, 4).

    A rotation has two triples, (x, y, z) and (x + 180, 180 − y, z + 180), and each angle is free by full
    turns: each row is the one nearest to the row before, so that a straight line between rows stays near the
    short way round. Whether the nearer triple changes sides depends on the two rotations alone, so all rows
    are settled at once.
    """
    m = quaternion_matrix(np.asarray(q, dtype=np.float64).reshape(-1, 4))
    flat = np.hypot(m[:, 0, 0], m[:, 1, 0])
    locked = flat < LOCKED
    x = np.where(locked, np.arctan2(-m[:, 1, 2], m[:, 1, 1]), np.arctan2(m[:, 2, 1], m[:, 2, 2]))
    y = np.arctan2(-m[:, 2, 0], flat)
    z = np.where(locked, 0.0, np.arctan2(m[:, 1, 0], m[:, 0, 0]))
    first = np.degrees(np.stack([x, y, z], axis=1))
    other = np.stack([first[:, 0] + 180, 180 - first[:, 1], first[:, 2] + 180], axis=1)
    crossed = np.zeros(len(first), dtype=bool)
    crossed[1:] = _apart(first[:-1], other[1:]) < _apart(first[:-1], first[1:])
    side = np.cumsum(crossed) % 2 == 1
    return np.unwrap(np.where(side[:, None], other, first), axis=0, period=360.0)


def _apart(a: F64, b: F64) -> F64:
    """Largest difference (T,) of angles (T, 3) in degrees, full turns aside."""
    return np.abs((a - b + 180) % 360 - 180).max(axis=1)
