"""Conventions: which way is up, which way a thing faces, how long a unit is, what front means."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Axis = Literal["+X", "-X", "+Y", "-Y", "+Z", "-Z"]
Hand = Literal["right", "left"]
Front = Literal["ccw", "cw"]
Up = Literal["up", "down"]


@dataclass(frozen=True)
class Convention:
    """The frame the numbers of a scene are written in.

    `front` is the winding of a front face as the eye sees it; `v` is the direction of growing V;
    `green` is the direction on the surface a bright green channel of a normal map leans to.
    `stated` says who said so: "person", "origin", "file", "format" or "assumed".
    """

    up: Axis = "+Y"
    faces: Axis = "+Z"
    hand: Hand = "right"
    metres_per_unit: float = 1.0
    front: Front = "ccw"
    v: Up = "down"
    green: Up = "up"
    stated: str = "assumed"

    def axes_text(self) -> str:
        """Axes for a person: `Z up · faces −Y`."""
        return f"{axis_text(self.up, plus=False)} up · faces {axis_text(self.faces)}"


def axis_text(axis: str, plus: bool = True) -> str:
    """`-Y` as `−Y` (a true minus sign); `+Y` as `+Y`, or `Y` without `plus`."""
    return axis.replace("-", "−") if plus or axis[0] == "-" else axis[1:]


WORKING = Convention(stated="format")
"""Metre, Y up, faces +Z, right-handed, front ccw, V down, green up."""

RAW_GLTF = Convention(stated="file")
"""What the glTF 2.0 specification (3.4, Coordinate System and Units) fixes for every file."""
