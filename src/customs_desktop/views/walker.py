"""A camera that goes about in a level: flying, or walking with its eyes at the height of a person's."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import Qt

from customs.grounds.walking import EYE
from customs.picture.camera import Orbit

AHEAD = 4.0
"""Metres in front of the eye that it looks at: near and far of the picture hang on it."""
TURN = 75.0
"""Degrees a second."""
KEYS = {
    Qt.Key.Key_Up: "ahead",
    Qt.Key.Key_Down: "back",
    Qt.Key.Key_Left: "left",
    Qt.Key.Key_Right: "right",
    Qt.Key.Key_PageUp: "rise",
    Qt.Key.Key_PageDown: "sink",
}
"""Arrows go and turn; page up and page down rise and sink while flying."""


class Walker:
    """Where the eye is and what it looks at. `ground` says at which height feet stand at x, z, None where there is nothing."""

    def __init__(
        self, eye: tuple[float, float, float], yaw: float, speed: float, ground: Callable[[float, float, float], float | None] | None
    ) -> None:  # fmt: skip
        self.eye, self.yaw, self.pitch, self.speed, self.ground = np.array(eye), yaw, 4.0, speed, ground
        self.held: set[str] = set()
        self.land()

    @property
    def orbit(self) -> Orbit:
        """The camera of it."""
        plain = Orbit((0.0, 0.0, 0.0), AHEAD, self.yaw % 360, self.pitch)
        x, y, z = (float(v) for v in self.eye - plain.back() * AHEAD)
        return replace(plain, target=(x, y, z))

    def turn(self, yaw: float, pitch: float) -> None:
        """Look elsewhere, by degrees."""
        self.yaw = (self.yaw + yaw) % 360
        self.pitch = float(np.clip(self.pitch - pitch, -85, 85))

    def press(self, key: int, down: bool) -> bool:
        """A key goes down or up; True where it is one of its own."""
        word = KEYS.get(Qt.Key(key))
        if word is None:
            return False
        (self.held.add if down else self.held.discard)(word)
        return True

    def go(self, seconds: float) -> bool:
        """On by so many seconds; True where anything changed."""
        if not self.held:
            return False
        way = -self.orbit.back()
        if self.ground is not None:
            way = np.array([way[0], 0.0, way[2]])
            way /= max(float(np.linalg.norm(way)), 1e-9)
        ahead = ("ahead" in self.held) - ("back" in self.held)
        self.turn(TURN * seconds * (("left" in self.held) - ("right" in self.held)), 0.0)
        step = way * self.speed * seconds * ahead
        if self.ground is None:
            step = step + [0.0, self.speed * seconds * (("rise" in self.held) - ("sink" in self.held)), 0.0]
        self.eye = self.eye + step
        self.land()
        return True

    def land(self) -> None:
        """Eyes at a person's height over what there is to stand on."""
        if self.ground is not None:
            x, y, z = (float(v) for v in self.eye)
            height = self.ground(x, z, y - EYE)
            if height is not None:
                self.eye[1] = height + EYE
