"""What a person decides about the floor plan of a level: kept with the asset, no stop of its route."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from customs.scene.settings import Settings

Metres = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Sign = Literal["entry", "exit", "find", "note"]
SIGNS: tuple[tuple[Sign, str], ...] = (
    ("entry", "Entry"),
    ("exit", "Exit"),
    ("find", "Find"),
    ("note", "Note"),
)
"""Signs a mark may have, and what they are called."""


class Mark(Settings):
    """A sign put on a floor plan at a place in metres (working frame), with what is said of it."""

    sign: Sign = "note"
    at: tuple[Metres, Metres, Metres]
    text: str = Field(default="", max_length=400)


class FloorPlan(Settings):
    """Where levels are cut (metres; None: above each storey's floor), to what scale they are drawn (1 : `scale`), how many degrees
    north lies clockwise of the picture's top, how bright, with what; `hidden` are Keys of things that are not shown.
    """

    cut: Metres | None = None
    scale: float = Field(default=100.0, gt=0, le=1e6)
    north: float = Field(default=0.0, ge=-360, le=360)
    brightness: float = Field(default=1.0, gt=0, le=10)
    grid: bool = True
    names: bool = True
    legend: bool = True
    hidden: tuple[str, ...] = ()
    marks: tuple[Mark, ...] = ()

    @property
    def said_nothing(self) -> bool:
        """True where nothing was decided."""
        return self == FloorPlan()


NO_PLAN = FloorPlan()
