"""How a JSON of nested parts and boxes is read: where its parts are, what says their pivots, boxes and texture cells, in what axes and
unit. Our own shape is one such mapping.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Literal

from pydantic import Field, model_validator

from customs.errors import ReadError
from customs.json_text import loads
from customs.levels.entries import text_of
from customs.levels.mapping import Frame, Part, as_mapping, toml_of

ENDING = ".figure"


class PartFields(Part):
    """JSON Pointers within a part; `boxes` and `children` lead to lists, `parent` to the name of another part."""

    name: str = "/name"
    pivot: str = "/pivot"
    rotation: str = "/rotation"
    boxes: str = "/boxes"
    children: str = ""
    parent: str = ""
    mirror: str = ""


class BoxFields(Part):
    """JSON Pointers within a box: its low corner and its size, or its high corner; the texture cell where its unfolded faces begin
    (`cell`), or a table of rectangles by face (`faces`); by how much it is grown on all sides; its own turn about a pivot.
    """

    start: str = "/from"
    size: str = ""
    end: str = ""
    cell: str = ""
    faces: str = ""
    grow: str = ""
    mirror: str = ""
    pivot: str = ""
    rotation: str = ""

    @model_validator(mode="after")
    def _one_way(self) -> BoxFields:
        if bool(self.size) == bool(self.end):
            raise ValueError("either a size, or the high corner (end)")
        return self


class FigureMapping(Part):
    """One mapping. `pivots` are measured from the figure's origin or from the pivot of the part above, corners of boxes from the origin or
    from their part's pivot; `euler` is the order of turns as `scipy.spatial.transform` has it; `texture` leads to the name of the
    picture, `texture_size` to its width and height in the unit of the cells.
    """

    version: Literal[1] = 1
    title: str = ""
    parts: str = "/parts"
    part: PartFields = PartFields()
    box: BoxFields = BoxFields(size="/size", cell="/cell")
    pivots: Literal["origin", "parent"] = "origin"
    corners: Literal["origin", "pivot"] = "origin"
    euler: str = Field(default="XYZ", pattern=r"^([XYZ]{3}|[xyz]{3})$")
    degrees: bool = True
    texture: str = "/texture/file"
    texture_size: str = "/texture/size"
    frame: Frame = Frame()


OWN = FigureMapping(
    title="our own",
    part=PartFields(children="/parts", mirror="/mirror"),
    box=BoxFields(
        size="/size",
        cell="/cell",
        faces="/faces",
        grow="/grow",
        mirror="/mirror",
        pivot="/pivot",
        rotation="/rotation",
    ),
)
"""Of figures in our own shape (the page Boxed figures of the guide)."""


class FigureFile(Part):
    """A figure that is read through a mapping: the JSON beside the file."""

    figure: Literal[1] = 1
    source: str = Field(min_length=1)
    mapping: FigureMapping

    def text(self) -> str:
        """As it is written."""
        return (
            json.dumps({"figure": 1, **self.model_dump(mode="json", exclude_defaults=True)}, indent=1) + "\n"
        )


def read_figure_mapping(path: Path) -> FigureMapping | None:
    """The mapping of figures in a TOML file; None for one of lists. Raises SheetError."""
    body = toml_of(path)
    return as_mapping(FigureMapping, body, path) if {"box", "part", "parts"} & body.keys() else None


def body_of(data: bytes, path: Path) -> Any:
    """The JSON in a file. Raises ReadError."""
    try:
        return loads(text_of(data, path))
    except (ValueError, RecursionError) as problem:
        raise ReadError(f"not well-formed JSON: {problem}", "a figure", "It may be cut off.", path) from None
