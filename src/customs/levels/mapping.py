"""A mapping: where in a list the placements are and what says their name and transform, in what axes and unit the list and its library
files are.
"""

from __future__ import annotations

import json
import re
import tomllib
from pathlib import Path
from typing import Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from customs.conventions.axes import check_axes
from customs.errors import CustomsError, SheetError
from customs.scene.convention import Axis, Convention, Hand

ROTATIONS = Literal["quaternion-xyzw", "quaternion-wxyz", "euler"]


class Part(BaseModel):
    """Base of every table: frozen, and unknown keys are errors."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Frame(Part):
    """Axes and unit."""

    up: Axis = "+Y"
    faces: Axis = "+Z"
    hand: Hand = "right"
    metres_per_unit: float = Field(default=1.0, gt=0, le=1e6)

    @model_validator(mode="after")
    def _axes(self) -> Frame:
        try:
            check_axes(self.up, self.faces)
        except CustomsError as problem:
            raise ValueError(f"{problem.found}: {problem.expected}") from None
        return self

    def convention(self) -> Convention:
        """As a convention."""
        return Convention(self.up, self.faces, self.hand, self.metres_per_unit, stated="person")


class Fields(Part):
    """Where in an entry its values stand: a JSON Pointer, an XML path (`@name`, `child`, `child/@name`), a CSV column. Position,
    rotation and scale are one place, or one for each number.
    """

    name: str = Field(min_length=1)
    id: str = ""
    parent: str = ""
    visible: str = ""
    kind: str = ""
    label: str = ""
    matrix: str = ""
    position: str | tuple[str, str, str] = ""
    rotation: str | tuple[str, ...] = ""
    scale: str | tuple[str, str, str] = ""

    @model_validator(mode="after")
    def _one_way(self) -> Fields:
        if bool(self.matrix) == bool(self.position):
            raise ValueError("either a matrix, or a position")
        if bool(self.parent) and not self.id:
            raise ValueError("parents are named by an id: say where that stands")
        return self


class Library(Part):
    """The files a name may mean: in a sub-folder of each library, with these endings; case counts or not."""

    folder: str = ""
    endings: tuple[str, ...] = (".glb", ".gltf", ".fbx", ".obj", ".dae")
    ignore_case: bool = True
    frame: Frame = Frame()


class Mapping(Part):
    """One mapping. `order` is how a matrix is written down; `euler` the order of turns as `scipy.spatial.transform` has it (capitals
    about the thing's own axes); `takes` says whether a transform takes raw numbers of a library file, or things that stand in the
    list's frame already.
    """

    version: Literal[1] = 1
    title: str = ""
    entries: str = ""
    fields: Fields
    order: Literal["row", "column"] = "column"
    rotation: ROTATIONS = "quaternion-xyzw"
    euler: str = Field(default="XYZ", pattern=r"^([XYZ]{3}|[xyz]{3})$")
    degrees: bool = True
    takes: Literal["raw", "list"] = "list"
    frame: Frame = Frame()
    library: Library = Library()

    @model_validator(mode="after")
    def _turns(self) -> Mapping:
        if re.search(r"(.)\1", self.euler):
            raise ValueError("euler: no axis twice in a row")
        return self


LARGEST = 1 << 20
Kind = TypeVar("Kind", bound=Part)
OWN = Mapping(
    title="our own",
    entries="/placements/*",
    fields=Fields(
        name="/name",
        id="/id",
        parent="/parent",
        visible="/visible",
        kind="/kind",
        label="/label",
        matrix="/matrix",
    ),
    takes="list",
)
"""Of lists in our own shape (the page Lists of placements of the guide)."""


def read_mapping(path: Path) -> Mapping:
    """A mapping from its file. Raises SheetError."""
    return as_mapping(Mapping, toml_of(path), path)


def toml_of(path: Path) -> dict[str, Any]:
    """The tables of a mapping's file. Raises SheetError."""
    try:
        data = path.read_bytes()[: LARGEST + 1]
        if len(data) > LARGEST:
            raise SheetError(f"more than {LARGEST:,} bytes", "a mapping in TOML", file=path)
        return tomllib.loads(data.decode("utf-8"))
    except OSError as problem:
        raise SheetError(f"cannot be read ({problem.strerror})", "a mapping in TOML", file=path) from None
    except (UnicodeDecodeError, tomllib.TOMLDecodeError) as problem:
        raise SheetError(f"not well-formed TOML: {problem}", "a mapping", "Mend the line.", path) from None


def as_mapping(kind: type[Kind], body: dict[str, Any], path: Path) -> Kind:
    """Tables of a file as a mapping of some kind. Raises SheetError."""
    try:
        return kind.model_validate(body)
    except ValidationError as problem:
        first = problem.errors()[0]
        where = ".".join(str(p) for p in first["loc"])
        raise SheetError(
            f"{first.get('input')!r:.60}", str(first["msg"]), "Mend the mapping.", path, where
        ) from None


def mapping_text(mapping: Mapping) -> str:
    """A mapping as TOML, without what is usual."""
    body = mapping.model_dump(mode="json", exclude_defaults=True)
    lines = ["version = 1"]

    def table(values: dict[str, Any], name: str) -> None:
        plain = {k: v for k, v in values.items() if not isinstance(v, dict)}
        if name:
            lines.extend(["", f"[{name}]"])
        lines.extend(f"{k} = {json.dumps(v, ensure_ascii=False)}" for k, v in plain.items() if v is not None)
        for k, v in values.items():
            if isinstance(v, dict):
                table(v, f"{name}.{k}" if name else k)

    table({k: v for k, v in body.items() if k != "version"}, "")
    return "\n".join(lines) + "\n"
