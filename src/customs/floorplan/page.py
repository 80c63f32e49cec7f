"""A page in millimetres: what is drawn on it, whatever it is written as. The origin is the upper left."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

INK, SOFT, PAPER, TEAL, RED = "#1F2D33", "#5A676E", "#F3EFE4", "#0F6A6C", "#B4371F"
Point = tuple[float, float]
Anchor = Literal["start", "middle", "end"]


@dataclass(frozen=True)
class Line:
    """From `a` to `b`, `width` wide."""

    a: Point
    b: Point
    width: float = 0.2
    ink: str = INK


@dataclass(frozen=True)
class Shape:
    """A filled polygon with an edge of `width`, 0 for none."""

    points: tuple[Point, ...]
    fill: str
    width: float = 0.0
    ink: str = INK


@dataclass(frozen=True)
class Words:
    """A text on its base line, `size` high."""

    at: Point
    text: str
    size: float = 3.2
    anchor: Anchor = "start"
    ink: str = INK
    bold: bool = False


Item = Line | Shape | Words


@dataclass(frozen=True)
class Page:
    """`width` × `height`; the picture of the level lies at `picture` (x, y, width, height), `under` it nothing, `over` it the items."""

    width: float
    height: float
    picture: tuple[float, float, float, float]
    items: tuple[Item, ...]
    title: str = ""
