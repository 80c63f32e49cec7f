"""What a sheet asks of whole levels."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from customs.scene.kinds import Kind
from customs.sheet.part import InPackage, Part, filled


class GroundRules(Part):
    """Levels: none are taken as such, or as one `file` in which things repeat, or as a `list` of placements at `path` beside a file
    for each mesh; or nothing of them is taken, and what they are is told by a docket and by floor plans (`study`) at `plan`, drawn 1 : `plan_scale`
    (0: as large as A3 paper allows), in those files. Kinds of things that are left out; whether there has to be light; metres of the longest side below which nothing
    is taken; the step in metres of the grid modules are on (0: none); the edge of a tile of the plan in metres (0: none), each with a list of its own and at most so many triangles.
    """

    form: Literal["none", "file", "list", "study"] = "none"
    leave_out: tuple[Kind, ...] = ()
    light: Literal["required", "allowed"] = "allowed"
    smallest: float = Field(default=0.0, ge=0, le=1e4)
    finest: bool = True
    tile: float = Field(default=0.0, ge=0, le=1e6)
    tile_triangles: int | None = Field(default=None, ge=1)
    module: float = Field(default=0.0, ge=0, le=1e4)
    path: InPackage = "{asset}.json"
    mesh: InPackage = "meshes/{name}"
    plan: InPackage = "plans/{name}"
    plan_scale: float = Field(default=0.0, ge=0, le=1e6)
    plan_forms: tuple[Literal["png", "svg", "pdf"], ...] = ("png", "svg", "pdf")

    @model_validator(mode="after")
    def _told_apart(self) -> GroundRules:
        if self.form == "list" and "{name}" not in self.mesh:
            raise ValueError("mesh: a pattern with {name}, for each mesh has a file of its own")
        if self.form == "study" and ("{name}" not in self.plan or not self.plan_forms):
            raise ValueError(
                "plan: a pattern with {name}, and a file at least, for each storey has a plan of its own"
            )
        return self

    def list_place(self, asset: str) -> str:
        """The path of the list inside the package."""
        return filled(self.path, asset, ending=".json")

    def mesh_place(self, asset: str, mesh: str) -> str:
        """The path of a mesh's file inside the package, without its ending."""
        return filled(self.mesh, asset, mesh)

    def plan_place(self, asset: str, name: str, ending: str) -> str:
        """The path of a floor plan inside the package."""
        return filled(self.plan, asset, name) + ending
