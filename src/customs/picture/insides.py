"""Insides of solids that are cut open, in one dark colour, as walls are in a drawing."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

import moderngl

NEARER = (0.0, -8000.0)
"""Steps of the depth buffer that insides lie nearer than they do: a wall stands on its floor, and it is the wall that is seen."""


class Drawing(Protocol):
    """What draws: a context of OpenGL, the program in use."""

    context: Any
    mesh: Any


def draw_insides(drawing: Drawing, mirrored: bool, draw: Callable[[], object]) -> None:
    """Draw the backs of the faces that `draw` draws."""
    context, program = drawing.context, drawing.mesh
    context.enable(moderngl.CULL_FACE)
    # What is wound as a front from behind is a back.
    context.front_face = "ccw" if mirrored else "cw"
    context.polygon_offset = NEARER
    program["filled"] = True
    draw()
    program["filled"] = False
    context.polygon_offset = (0.0, 0.0)
