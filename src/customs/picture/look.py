"""What a picture shows: a frozen request."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
import numpy.typing as npt

from customs.picture.camera import Orbit
from customs.scene.model import Scene
from customs.scene.wishes import Light

LIGHTS: Mapping[Light, tuple[tuple[float, float, float] | None, tuple[float, float, float, float]]] = {
    "sky": ((0.55, 0.80, 0.50), (1.0, 1.0, 1.0, 1.0)),
    "even": ((0.2, 0.9, 0.4), (0.35, 1.0, 1.0, 1.7)),
    "viewer": (None, (0.9, 0.5, 0.5, 1.0)),
    "side": ((0.95, 0.25, 0.2), (1.25, 0.25, 1.0, 0.6)),
}
"""How pictures are lit: towards the first light (None: towards who looks), and the strengths of it, the fill, the rim and the
surroundings (common practice: a sky, an even room, a lamp at the camera, a low light from the side).
"""
Shading = Literal["surface", "plain", "sides", "checker", "density"]
SHADINGS: Mapping[str, int] = {"surface": 0, "plain": 1, "sides": 2, "checker": 3, "density": 4}
USUAL_DENSITY = 512.0
"""Pixels a metre drawn as neither coarse nor fine; each doubling goes a third of the way to either end."""
DAY = ((0.890, 0.910, 0.902), (0.725, 0.773, 0.776))
EVENING = ((0.33, 0.37, 0.39), (0.19, 0.22, 0.24))
Lit = tuple[tuple[float, float, float], tuple[float, float, float, float]]
"""The unit vector towards the first light, and the strengths of all."""


def lit_by(light: Light, back: Sequence[float]) -> Lit:
    """How a picture is lit whose camera looks against the direction `back` (3,)."""
    towards, strengths = LIGHTS[light]
    x, y, z = towards if towards is not None else back
    length = math.sqrt(x * x + y * y + z * z) or 1.0
    return (x / length, y / length, z / length), strengths


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
    light: Light = "sky"


@dataclass(frozen=True, eq=False)
class Veil:
    """How things of a level are looked at: rows (N,) and nodes (by number) that are hidden, and those that are faint."""

    hidden_rows: npt.NDArray[np.bool_]
    faint_rows: npt.NDArray[np.bool_]
    hidden_nodes: frozenset[int] = frozenset()
    faint_nodes: frozenset[int] = frozenset()


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
    lit: Lit | None = None
    """How it is lit, where that is not said by its look: by a rig of its own."""
    veil: Veil | None = None
    cut: float | None = None
    """Metres above which nothing is drawn."""
    below: float | None = None
    """Metres below which nothing is seen, though it hides what is under it; insides of solids that are cut open are then of one dark colour, as
    in a drawing.
    """
    marks: Mapping[str, tuple[tuple[int, int], ...]] = field(default_factory=dict)

    def told(self) -> tuple[object, ...]:
        """All it hangs on, to be compared with another's: scenes by identity, the rest by value."""
        rest = (
            self.width,
            self.height,
            self.look,
            self.clip,
            self.seconds,
            self.unit,
            self.mirrored,
            self.lit,
            self.veil,
            self.cut,
            self.below,
        )
        return (self.scene, self.orbit, *rest, dict(self.marks))
