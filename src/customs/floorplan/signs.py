"""Signs of marks: each kind has a shape of its own, so that they are told apart without colour too."""

from __future__ import annotations

import math

from customs.floorplan.page import INK, PAPER, RED, TEAL, Item, Point, Shape, Words
from customs.scene.floor_plan import Sign

SIZE = 2.6
"""Millimetres from the middle of a sign to its edge."""
FILL = {"entry": TEAL, "exit": RED, "find": "#8A5A0F", "note": INK}


def outline(sign: Sign, at: Point, size: float = SIZE) -> tuple[Point, ...]:
    """Corners of a sign: an arrow up (entry) or down (exit), a square on its corner (find), a disc (note)."""
    x, y = at
    if sign in ("entry", "exit"):
        k = -1 if sign == "entry" else 1
        corners = ((-1, -0.9), (1, -0.9), (1, 0.45), (0, 1.35), (-1, 0.45))
        return tuple((x + size * u, y + k * size * v) for u, v in corners)
    if sign == "find":
        return tuple((x + 1.3 * size * u, y + 1.3 * size * v) for u, v in ((0, -1), (1, 0), (0, 1), (-1, 0)))
    turns = [2 * math.pi * k / 24 for k in range(24)]
    return tuple((x + size * math.cos(t), y + size * math.sin(t)) for t in turns)


def drawn_sign(sign: Sign, number: int, at: Point) -> list[Item]:
    """A sign with its number."""
    size = 3.2 if number < 10 else 2.6
    return [
        Shape(outline(sign, at, SIZE * 1.2), PAPER),
        Shape(outline(sign, at), FILL[sign]),
        Words((at[0], at[1] + size * 0.36), str(number), size, "middle", PAPER, bold=True),
    ]
