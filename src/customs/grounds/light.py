"""Light in levels: a rig for those without any, units of lights that came along.

Photometric definitions: CIE S 017:2020 (International Lighting Vocabulary) and the SI brochure: a source of 1 cd in all directions
sends 4π lm; 683 lm/W at 540 THz (555 nm). Units of glTF's lights: KHR_lights_punctual, candela and lux.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from customs.scene.key import Key
from customs.scene.model import Light, Node, Scene
from customs.scene.tree import world_matrices

F64 = npt.NDArray[np.float64]
EFFICACY = 683.0
"""Lumens a watt at 555 nm."""
SUN, FILL, SKY = 0.8, 0.1, 0.2
"""Shares of the brightness that the three lights of the rig have (ours: nearly all from one side, no side without any)."""
PICTURE = 120_000.0
"""Lux at which the picture shows a rig as bright as it shows goods (full sun: common practice)."""
Unit = Literal["lm", "cd", "lx", "W", "plain"]


@dataclass(frozen=True)
class Rig:
    """A sun `elevation` degrees high from `azimuth` degrees (0: from +Z, 90: from +X), an opposite fill, a sky from straight above;
    `brightness` in lux, all of it; lights that are off are not made.
    """

    azimuth: float = -30.0
    elevation: float = 50.0
    brightness: float = PICTURE
    sun: bool = True
    fill: bool = True
    sky: bool = True

    def towards(self) -> tuple[F64, F64]:
        """Unit vectors towards the sun and towards the fill, which is turned by 180° about up."""
        a, e = np.radians(self.azimuth), np.radians(self.elevation)
        flat = np.array([np.sin(a), 0.0, np.cos(a)]) * np.cos(e)
        return flat + [0, np.sin(e), 0], [0, np.sin(e), 0] - flat

    def lit(self) -> tuple[tuple[float, float, float], tuple[float, float, float, float]]:
        """As a picture is lit by it: towards the sun, and the strengths of sun, fill, rim and surroundings."""
        k = self.brightness / PICTURE
        x, y, z = (float(v) for v in self.towards()[0])
        strengths = k * np.array([1.0 * self.sun, 1.0 * self.fill, 0.5 * self.fill, 0.25 + 0.75 * self.sky])
        return (x, y, z), (float(strengths[0]), float(strengths[1]), float(strengths[2]), float(strengths[3]))

    def lights(self) -> list[tuple[str, F64, float, tuple[float, float, float]]]:
        """(name, unit vector towards it, lux, colour) of each light that is on."""
        sun, fill = self.towards()
        every = (
            (self.sun, "sun", sun, SUN, (1.0, 0.97, 0.9)),
            (self.fill, "fill", fill, FILL, (0.85, 0.92, 1.0)),
            (self.sky, "sky", np.array([0.0, 1.0, 0.0]), SKY, (0.8, 0.9, 1.0)),
        )
        return [(name, way, share * self.brightness, colour) for on, name, way, share, colour in every if on]


def looking(way: F64) -> F64:
    """(4,) quaternion x y z w that turns local −Z against `way`, a unit vector towards a light."""
    from customs.scene.transforms import matrix_quaternion

    side = np.cross([0.0, 1.0, 0.0], way)
    side = np.array([1.0, 0.0, 0.0]) if np.linalg.norm(side) < 1e-6 else side / np.linalg.norm(side)
    return matrix_quaternion(np.stack([side, np.cross(way, side), way], axis=1))


def rig_nodes(rig: Rig, digest: str, first: int, height: float) -> list[Node]:
    """A node for each light of the rig, `height` metres up, numbered from `first`."""
    out = []
    for k, (name, way, lux, colour) in enumerate(rig.lights()):
        light = Light(Key(digest, "light", first + k), name, kind="directional", colour=colour, intensity=lux)
        node = Node(
            Key(digest, "node", first + k),
            name,
            translation=way * height,
            rotation=looking(way),
            holds=(light,),
        )
        out.append(node)
    return out


def in_standard(light: Light, unit: Unit, efficacy: float = EFFICACY, plain: float = 1.0) -> float:
    """Intensity in candela, of a directional light in lux, of one whose number is in `unit`. A spot's lumens go into its cone of
    half angle `outer`: 2π(1 − cos outer) sr. `plain` is how many candela, or lux, one of no unit stands for.
    """
    value = float(light.intensity)
    if light.kind == "directional":
        return value * {"plain": plain, "W": efficacy}.get(unit, 1.0)
    if unit in ("lm", "W"):
        solid = 4 * np.pi if light.kind == "point" else 2 * np.pi * (1 - np.cos(min(light.outer, np.pi)))
        return value * (efficacy if unit == "W" else 1.0) / max(float(solid), 1e-9)
    return value * (plain if unit == "plain" else 1.0)


def reach_of(candela: float, least: float) -> float:
    """Metres at which a light gives `least` lux: the inverse square law, E = I / d²."""
    return float(np.sqrt(max(candela, 0.0) / least))


def lit_scene(scene: Scene) -> bool:
    """True where something in the scene gives light."""
    return any(light.intensity > 0 for light in scene.lights)


def lit_by_lights(
    scene: Scene,
) -> tuple[tuple[float, float, float], tuple[float, float, float, float]] | None:
    """As a picture is lit by the strongest light of a scene that shines from one side everywhere; None where there is none."""
    best: tuple[float, F64] | None = None
    total = 0.0
    worlds = world_matrices(scene)
    for n, node in enumerate(scene.nodes):
        for light in node.holds:
            if isinstance(light, Light) and light.kind == "directional":
                total += light.intensity
                if best is None or light.intensity > best[0]:
                    best = light.intensity, worlds[n, :3, 2]
    if best is None or best[0] <= 0:
        return None
    way = best[1] / max(float(np.linalg.norm(best[1])), 1e-12)
    rest = (total - best[0]) / PICTURE
    strength = min(best[0] / (SUN * PICTURE), 4.0)
    x, y, z = (float(v) for v in way)
    return (x, y, z), (strength, min(rest * 3, 2.0), min(rest, 1.0), min(0.25 + rest * 2.5, 2.0))
