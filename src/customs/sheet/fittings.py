"""What a sheet asks around the mesh: levels, collision shapes, posts, pictures."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, model_validator

from customs.scene.wishes import Angle, Light
from customs.sheet.part import InPackage, Part, filled


def _fitting_pattern(tokens: tuple[str, ...]) -> Callable[[str], str]:
    """A check that a pattern has these tokens, each exactly once, and no others."""

    def check(value: str) -> str:
        if sorted(re.findall(r"\{(\w*)\}", value)) != sorted(tokens):
            raise ValueError("each of the tokens " + " ".join("{" + t + "}" for t in tokens) + " once")
        return value

    return check


class LevelRules(Part):
    """Levels of detail: whether and how they are delivered. `least` and `most` count the finest too; each has at most the
    share `ratio` of the triangles of the one before. A level is a node beside the finest, named by `name`.
    """

    form: Literal["none", "nodes"] = "none"
    name: Annotated[str, AfterValidator(_fitting_pattern(("name", "level")))] = "{name}_lod{level}"
    least: int = Field(default=1, ge=1, le=16)
    most: int = Field(default=8, ge=1, le=16)
    ratio: float = Field(default=0.9, gt=0, lt=1)
    last: float = Field(default=10_000.0, gt=0, le=1e9)

    @model_validator(mode="after")
    def _ordered(self) -> LevelRules:
        if self.least > self.most:
            raise ValueError("least: at most as many levels as most")
        return self


Purpose = Literal["hits", "picking", "around", "walking"]
ShapeKind = Literal["sphere", "capsule", "box", "hull", "mesh"]


class ShapeRules(Part):
    """Collision shapes: what they are for, which kinds each purpose takes, and how they are delivered: as meshes named by
    `name`, as numbers in the asset's document (`layout.facts`), or both. `covers` is the least share of the surface that has
    to be inside. Purposes that are `optional` are taken where there are shapes for them.
    """

    form: Literal["none", "meshes", "numbers", "both"] = "none"
    name: Annotated[str, AfterValidator(_fitting_pattern(("asset", "purpose", "index")))] = (
        "{asset}_{purpose}{index}"
    )
    purposes: tuple[Purpose, ...] = ()
    optional: tuple[Purpose, ...] = ()
    kinds: dict[str, tuple[ShapeKind, ...]] = {}
    covers: dict[str, float] = {}
    most: int = Field(default=64, ge=1, le=4096)
    corners: int = Field(default=255, ge=4)

    @property
    def taken(self) -> tuple[Purpose, ...]:
        """Purposes of which shapes are delivered."""
        return () if self.form == "none" else (*self.purposes, *self.optional)


class PostRules(Part):
    """Posts: delivered as empty nodes named by `name`, with their index paths in the asset's document; those that have to be
    there. What hangs at one is a `reference`, a path the kit knows, or a `copy` that goes along below `folder` with all files it
    leans on.
    """

    form: Literal["none", "nodes"] = "none"
    name: Annotated[str, AfterValidator(_fitting_pattern(("name",)))] = "{name}"
    required: tuple[str, ...] = ()
    attached: Literal["reference", "copy"] = "reference"
    folder: InPackage = "attached/{name}"

    def place(self, asset: str, thing: str) -> str:
        """The folder inside the package for a copy of what hangs at a post."""
        return filled(self.folder, asset, thing)


class PictureRules(Part):
    """A picture of the asset: its exact size in pixels, its format and path; `clear` ground or a backdrop; lit as the
    destination does.
    """

    name: str = Field(default="icon", min_length=1, max_length=32)
    width: int = Field(default=128, ge=1, le=8192)
    height: int = Field(default=128, ge=1, le=8192)
    format: Literal["png", "jpeg"] = "png"
    angle: Angle = "three-quarter"
    clear: bool = True
    light: Light = "sky"
    path: InPackage = "{asset}_icon{ending}"

    def place(self, asset: str) -> str:
        """The path of it inside the package."""
        return filled(self.path, asset, self.name, {"png": ".png", "jpeg": ".jpg"}[self.format])

    @model_validator(mode="after")
    def _can_be_clear(self) -> PictureRules:
        if self.format == "jpeg" and self.clear:
            raise ValueError("clear: a JPEG has no clear ground")
        return self


class PlotRules(Part):
    """A plan grid over the footprint: cells `cell` metres wide, given to `areas` (a letter and its name each), `least` cells of
    an area; written to `path` as JSON, text rows or a picture, a pixel a cell.
    """

    form: Literal["none", "json", "rows", "picture"] = "none"
    cell: float = Field(default=0.25, gt=0, le=1e4)
    areas: dict[str, str] = {}
    least: dict[str, int] = {}
    symmetric: bool = False
    path: InPackage = "{asset}_plot{ending}"

    def place(self, asset: str) -> str:
        """The path of it inside the package; of one that is written."""
        return filled(
            self.path, asset, "plot", {"json": ".json", "rows": ".txt", "picture": ".png"}[self.form]
        )

    @model_validator(mode="after")
    def _letters(self) -> PlotRules:
        if self.form != "none" and not self.areas:
            raise ValueError("areas: a plot needs at least one")
        if any(len(a) != 1 or not a.isalnum() for a in self.areas):
            raise ValueError("areas: a single letter or digit each")
        if not set(self.least) <= set(self.areas):
            raise ValueError("least: of areas there are")
        return self
