"""What of a level is seen on a plan."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Frame:
    """What is seen: metres of the plan around `middle` (x, z), `wide` × `high`, the picture's top turned `turn` degrees about up away from −Z;
    between `cut` and `bottom` metres of height.
    """

    middle: tuple[float, float]
    wide: float
    high: float
    turn: float
    cut: float
    bottom: float

    def place(self, x: float, z: float) -> tuple[float, float]:
        """Metres from the picture's left and top of a place of the plan."""
        a = np.radians(self.turn)
        dx, dz = x - self.middle[0], z - self.middle[1]
        right, down = dx * np.cos(a) - dz * np.sin(a), dx * np.sin(a) + dz * np.cos(a)
        return float(right + self.wide / 2), float(down + self.high / 2)

    def back(self, right: float, down: float) -> tuple[float, float]:
        """The place (x, z) of the plan so many metres from the picture's left and top."""
        a = np.radians(self.turn)
        u, v = right - self.wide / 2, down - self.high / 2
        return float(self.middle[0] + u * np.cos(a) + v * np.sin(a)), float(
            self.middle[1] - u * np.sin(a) + v * np.cos(a)
        )
