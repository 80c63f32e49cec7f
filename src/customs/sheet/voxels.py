"""What a sheet asks of assets made of unit cells."""

from __future__ import annotations

import re
from typing import Literal

from pydantic import Field, field_validator

from customs.sheet.part import Part, filled, inside_package


class VoxelRules(Part):
    """Unit cells: none are asked for, or the asset is made of `cells`: so many along its longest side at most, of so many `colours` or of those of
    `palette` alone, on vertices or in a texture; and files beside the model: the middles of cells as `points`, the grid itself as `grid` ("" for none).
    """

    form: Literal["none", "cells"] = "none"
    side: int = Field(default=260, ge=2, le=1024)
    colours: int = Field(default=256, ge=1, le=100_000)
    palette: tuple[str, ...] = ()
    colour_by: Literal["vertices", "texture"] = "vertices"
    points: str = "{asset}_points"
    grid: str = "{asset}.voxels.json"

    @field_validator("points", "grid")
    @classmethod
    def _inside(cls, value: str) -> str:
        return inside_package(value) if value else value

    @field_validator("palette")
    @classmethod
    def _colours(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for colour in value:
            if not re.fullmatch(r"#[0-9a-fA-F]{6}", colour):
                raise ValueError(f"{colour!r}: a colour as #rrggbb")
        return value

    def points_place(self, asset: str) -> str:
        """The path of the points inside the package, "" for none."""
        return filled(self.points, asset) + ".ply" if self.points and self.form == "cells" else ""

    def grid_place(self, asset: str) -> str:
        """The path of the grid inside the package, "" for none."""
        return filled(self.grid, asset, ending=".json") if self.grid and self.form == "cells" else ""
