"""What a picture shows: a frozen request."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from customs.picture.camera import Orbit
from customs.scene.model import Scene

Shading = Literal["surface", "plain", "sides", "checker", "density"]
SHADINGS: Mapping[str, int] = {"surface": 0, "plain": 1, "sides": 2, "checker": 3, "density": 4}
USUAL_DENSITY = 512.0
"""Pixels a metre drawn as neither coarse nor fine; each doubling goes a third of the way to either end."""
DAY = ((0.890, 0.910, 0.902), (0.725, 0.773, 0.776))
EVENING = ((0.33, 0.37, 0.39), (0.19, 0.22, 0.24))


@dataclass(frozen=True)
class Look:
    """Settings of a picture. `figure` is the x (m) the standing figure is put at, or None; `dual` skins by
    dual quaternions.

    Without `smooth` edges are left rough, for pictures that move. Where that or `sketched` says so, a
    software driver draws fewer triangles.
    """

    shading: Shading = "surface"
    wire: bool = False
    grid: bool = True
    figure: float | None = None
    dimensions: bool = False
    transparent: bool = False
    evening: bool = False
    smooth: bool = True
    sketched: bool = False
    dual: bool = False


@dataclass(frozen=True, eq=False)
class Shot:
    """One picture to make: `marks` gives, by primitive Key as text, face ranges to mark; by the Key of a node
    or row, with none, that one alone. `unit` scales raw numbers to m."""

    scene: Scene
    orbit: Orbit
    width: int
    height: int
    look: Look = Look()
    clip: int | None = None
    seconds: float = 0.0
    unit: float = 1.0
    mirrored: bool = False
    marks: Mapping[str, tuple[tuple[int, int], ...]] = field(default_factory=dict)

    def told(self) -> tuple[object, ...]:
        """All it hangs on, to be compared with another's: scenes by identity, the rest by value."""
        rest = self.width, self.height, self.look, self.clip, self.seconds, self.unit, self.mirrored
        return (self.scene, self.orbit, *rest, dict(self.marks))
