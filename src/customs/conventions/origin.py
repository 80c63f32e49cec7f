"""Origins: where goods come from, kept by name and used again."""

from __future__ import annotations

import difflib
import json
import re
import tomllib
from collections.abc import Sequence
from importlib import resources
from pathlib import Path
from typing import Any, Literal, get_args

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from customs.conventions.axes import check_axes
from customs.errors import CustomsError, SheetError
from customs.files import read_regular
from customs.parts import write_whole
from customs.scene.convention import Axis, Convention, Front, Hand, Up
from customs.scene.model import SLOTS

Footing = Literal["as-received", "base-centre", "box-centre", "mass-centre", "point"]
"""Where an asset's origin is put: as it came, middle of its base, of its box, of its mass, or a point
picked.
"""


class Origin(BaseModel):
    """The convention of where goods come from, and the turn, scale and footing found for it."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    version: Literal[1] = 1
    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]*$")
    title: str
    up: Axis = "+Y"
    faces: Axis = "+Z"
    hand: Hand = "right"
    metres_per_unit: float = Field(default=1.0, gt=0, le=1e6)
    front: Front = "ccw"
    v: Up | None = None
    green: Up = "up"
    turn: tuple[float, float, float] = (0.0, 0.0, 0.0)
    scale: float = Field(default=1.0, gt=0, le=1e9)
    footing: Footing = "as-received"
    suffixes: dict[str, tuple[str, ...]] = {}
    """Suffixes and prefixes of texture names by role, before the common ones."""

    @field_validator("suffixes")
    @classmethod
    def _roles(cls, value: dict[str, tuple[str, ...]]) -> dict[str, tuple[str, ...]]:
        for role in value:
            if role not in SLOTS:
                raise ValueError(f"role {role!r}: one of {', '.join(SLOTS)}")
        return value

    @model_validator(mode="after")
    def _axes(self) -> Origin:
        check_axes(self.up, self.faces)
        if not np.isfinite(self.turn).all():
            raise ValueError("turn must be three numbers of degrees")
        return self

    def convention(self, own: Convention) -> Convention:
        """This origin's convention for a file that says `own` of itself; the format keeps its V direction."""
        return Convention(
            up=self.up,
            faces=self.faces,
            hand=self.hand,
            metres_per_unit=self.metres_per_unit,
            front=self.front,
            v=self.v or own.v,
            green=self.green,
            stated="origin",
        )


MOST = 1 << 20
"""Bytes of the largest sheet or origin that is read."""


def _text(path: Path) -> str:
    data = read_regular(path, MOST)
    if data is None:
        raise SheetError(f"more than {MOST:,} bytes", "a sheet or an origin", file=path)
    return data.decode("utf-8")


def read_toml(path: Path, text: str | None = None) -> dict[str, object]:
    """The tables of a TOML file. Raises SheetError naming the file and what TOML objects to."""
    try:
        return tomllib.loads(_text(path) if text is None else text)
    except RecursionError:
        raise SheetError("tables nested without end", "a few levels", "Mend the file.", path) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as problem:
        # The library has its line in its sentence alone.
        at = re.search(r"line (\d+)", str(problem))
        todo = "Mend the line and load again."
        raise SheetError(
            f"not well-formed TOML: {problem}", "", todo, path, line=int(at[1]) if at else 0
        ) from None
    except OSError as problem:
        raise SheetError(f"cannot be read: {problem.strerror}", file=path) from None


def explain(problem: ValidationError, file: str | Path, model: type[BaseModel] | None = None) -> SheetError:
    """The first complaint of pydantic as an error of ours, with the key and what is allowed there; of a key that `model` has
    not, the nearest that it has.
    """
    first = problem.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    found = f"{first.get('input')!r:.80}" if where else "not well formed"
    more = f" ({len(problem.errors()) - 1} more)" if len(problem.errors()) > 1 else ""
    if first["type"] == "extra_forbidden" and where:
        name, known = str(first["loc"][-1]), _keys_at(model, first["loc"][:-1])
        near = difflib.get_close_matches(name, known, 1)
        wanted = (
            f"{near[0]!r} is near it" if near else f"one of {', '.join(known)}" if known else "a key there is"
        )
        return SheetError(f"there is no key {name!r}{more}", wanted, file=file, where=where)
    return SheetError(f"{found}{more}", str(first["msg"]), file=file, where=where)


def _keys_at(model: Any, path: Sequence[str | int]) -> tuple[str, ...]:
    """Keys a model has at a path of its own keys and of numbers in lists."""
    for part in path:
        if isinstance(part, int):
            continue
        if not (isinstance(model, type) and issubclass(model, BaseModel)) or part not in model.model_fields:
            return ()
        model = _model_in(model.model_fields[part].annotation)
    return tuple(model.model_fields) if isinstance(model, type) and issubclass(model, BaseModel) else ()


def _model_in(kind: Any) -> Any:
    """The model an annotation speaks of, be it of one, of a list or of none."""
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return kind
    return next((m for a in get_args(kind) if (m := _model_in(a)) is not None), None)


def parse_origin(tables: dict[str, object], file: str | Path) -> Origin:
    """An Origin from TOML tables. Raises SheetError."""
    try:
        return Origin.model_validate(tables)
    except CustomsError as problem:
        raise SheetError(problem.found, problem.expected, problem.todo, file=file, where="faces") from None
    except ValidationError as problem:
        raise explain(problem, file, Origin) from None


def shipped_origins() -> dict[str, Origin]:
    """The four that ship, by id."""
    folder = resources.files("customs.conventions") / "origins"
    out = {}
    for entry in sorted(folder.iterdir(), key=lambda e: e.name):
        if entry.name.endswith(".toml"):
            origin = parse_origin(read_toml(Path(entry.name), entry.read_text("utf-8")), entry.name)
            out[origin.id] = origin
    return out


def kept_origins(folder: Path) -> dict[str, Origin]:
    """Those a person has kept in `folder`, by id; a broken one is left out here and told by `read_origin`."""
    out = {}
    for path in sorted(folder.glob("*.toml")):
        try:
            origin = read_origin(path)
        except SheetError:
            continue
        out[origin.id] = origin
    return out


def read_origin(path: Path) -> Origin:
    """The origin in a TOML file. Raises SheetError."""
    return parse_origin(read_toml(path), path)


def origin_text(origin: Origin) -> str:
    """The origin as TOML."""
    lines = []
    tables = origin.model_dump(exclude_none=True)
    suffixes = tables.pop("suffixes")
    for key, value in tables.items():
        text = (
            f'"{value}"'
            if isinstance(value, str)
            else str(list(value) if isinstance(value, tuple) else value)
        )
        lines.append(f"{key} = {text}")
    if suffixes:
        lines += [
            "",
            "[suffixes]",
            *(f"{role} = {json.dumps(list(names))}" for role, names in suffixes.items()),
        ]
    return "\n".join(lines) + "\n"


def keep_origin(origin: Origin, folder: Path) -> Path:
    """Write `origin` to `folder` under its id, replacing it in one rename."""
    path = folder / f"{origin.id}.toml"
    write_whole(path, origin_text(origin).encode())
    return path
