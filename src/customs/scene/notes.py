"""What a person measured on an asset: figures with the points they were taken at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, cast

Kind = Literal["distance", "edge", "angle", "thickness"]
KINDS: tuple[tuple[Kind, str], ...] = (
    ("distance", "Distance"), ("edge", "Edge"), ("angle", "Angle"), ("thickness", "Thickness"),
)  # fmt: skip
POINTS: Mapping[str, int] = {"distance": 2, "edge": 1, "angle": 3, "thickness": 1}
"""How many places are pointed at for each."""
Point = tuple[float, float, float]


@dataclass(frozen=True)
class Note:
    """One figure: metres, or degrees for an angle; `points` in metres in the working frame. `told` where the docket is
    to show it.
    """

    kind: Kind
    points: tuple[Point, ...]
    value: float
    told: bool = False

    def text(self, metres_per_unit: float = 1.0, unit: str = "m") -> str:
        """For a person, in a destination's unit."""
        return f"{self.value:.1f}°" if self.kind == "angle" else f"{self.value / metres_per_unit:,.4g} {unit}"

    def as_dict(self) -> dict[str, Any]:
        """For the shipment."""
        return {
            "kind": self.kind,
            "points": [list(p) for p in self.points],
            "value": self.value,
            "told": self.told,
        }

    @classmethod
    def from_dict(cls, table: Mapping[str, Any]) -> Note:
        """From the shipment."""
        points = tuple((float(x), float(y), float(z)) for x, y, z in table["points"])
        return cls(
            cast(Kind, str(table["kind"])), points, float(table["value"]), bool(table.get("told", False))
        )
