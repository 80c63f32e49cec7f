"""A camera that turns about a point."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
FIELD = np.radians(32.0)
"""Vertical field of view (radians)."""


@dataclass(frozen=True)
class Orbit:
    """Looking at `target` (m) from `distance` (m); `yaw` and `pitch` in degrees, 0/0 looks along −Z from the
    front.
    """

    target: tuple[float, float, float] = (0.0, 0.9, 0.0)
    distance: float = 5.0
    yaw: float = -30.0
    pitch: float = 14.0

    def turned(self, yaw: float, pitch: float) -> Orbit:
        """Turned by degrees; pitch stays short of straight up and down."""
        return replace(self, yaw=(self.yaw + yaw) % 360, pitch=float(np.clip(self.pitch + pitch, -89, 89)))

    def nearer(self, factor: float) -> Orbit:
        """Distance divided by `factor`."""
        return replace(self, distance=float(np.clip(self.distance / factor, 1e-4, 1e6)))

    def back(self) -> F64:
        """Unit vector (3,) from the target to the eye."""
        y, p = np.radians(self.yaw), np.radians(self.pitch)
        return np.array([np.sin(y) * np.cos(p), np.sin(p), np.cos(y) * np.cos(p)])

    @property
    def eye(self) -> F64:
        """Where the camera is (3,)."""
        return np.array(self.target) + self.back() * self.distance

    def sides(self) -> tuple[F64, F64]:
        """Unit vectors to the right and up on the picture."""
        right = np.cross([0.0, 1.0, 0.0], self.back())
        right /= np.linalg.norm(right)
        return right, np.cross(self.back(), right)

    def moved(self, right: float, up: float) -> Orbit:
        """Target shifted in the picture plane, in shares of the picture's height."""
        r, u = self.sides()
        reach = 2 * np.tan(FIELD / 2) * self.distance
        t = np.array(self.target) + (r * right + u * up) * reach
        return replace(self, target=(float(t[0]), float(t[1]), float(t[2])))

    def view(self) -> F64:
        """World to eye (4, 4)."""
        right, up = self.sides()
        m = np.eye(4)
        m[:3, :3] = np.stack([right, up, self.back()])
        m[:3, 3] = -m[:3, :3] @ self.eye
        return m

    def projection(self, aspect: float) -> F64:
        """Perspective (4, 4), OpenGL clip space."""
        near, far = self.distance * 0.01, self.distance * 60 + 200
        f = 1 / np.tan(FIELD / 2)
        m = np.zeros((4, 4))
        m[0, 0], m[1, 1] = f / aspect, f
        m[2, 2], m[2, 3] = (far + near) / (near - far), 2 * far * near / (near - far)
        m[3, 2] = -1
        return m


@dataclass(frozen=True)
class Above(Orbit):
    """Straight down on `target`, without perspective: `span` metres are the picture's height; what lies to the left of the picture's top
    is said by `yaw`, 0 for −Z above.
    """

    span: float = 10.0
    pitch: float = 90.0

    def sides(self) -> tuple[F64, F64]:
        """Unit vectors to the right and up on the picture."""
        y = np.radians(self.yaw)
        return np.array([np.cos(y), 0.0, -np.sin(y)]), np.array([-np.sin(y), 0.0, -np.cos(y)])

    def back(self) -> F64:
        """Up."""
        return np.array([0.0, 1.0, 0.0])

    def projection(self, aspect: float) -> F64:
        """Parallel (4, 4), OpenGL clip space: from the eye down to as far again below the target."""
        m = np.eye(4)
        m[0, 0], m[1, 1] = 2 / (self.span * aspect), 2 / self.span
        m[2, 2], m[2, 3] = -1 / self.distance, -1
        return m


def framing(low: Any, high: Any, aspect: float, orbit: Orbit | None = None) -> Orbit:
    """An orbit that shows the whole box (low, high (3,) m), keeping the direction of `orbit`."""
    low, high = np.asarray(low, dtype=float), np.asarray(high, dtype=float)
    middle, radius = (low + high) / 2, max(float(np.linalg.norm(high - low)) / 2, 1e-6)
    reach = radius / np.sin(FIELD / 2) / min(1.0, aspect) ** 0.8 * 0.88
    base = orbit or Orbit()
    return replace(base, target=(float(middle[0]), float(middle[1]), float(middle[2])), distance=reach)


def project(points: Any, orbit: Orbit, width: int, height: int) -> F64:
    """Pixels (N, 2) of world `points` (N, 3); NaN behind the eye."""
    points = np.asarray(points, dtype=float).reshape(-1, 3)
    m = orbit.projection(width / height) @ orbit.view()
    clip = np.concatenate([points, np.ones((len(points), 1))], axis=1) @ m.T
    w = np.where(clip[:, 3] > 1e-9, clip[:, 3], np.nan)
    return np.stack([(clip[:, 0] / w + 1) / 2 * width, (1 - clip[:, 1] / w) / 2 * height], axis=1)


def ray_through(orbit: Orbit, width: int, height: int, x: float, y: float) -> tuple[F64, F64]:
    """(the eye (3,), a unit vector (3,)) of the line of sight through a pixel, from the upper left."""
    right, up = orbit.sides()
    reach = np.tan(FIELD / 2)
    across, along = (2 * x / width - 1) * reach * width / height, (1 - 2 * y / height) * reach
    way = right * across + up * along - orbit.back()
    return np.asarray(orbit.eye, np.float64), way / np.linalg.norm(way)
