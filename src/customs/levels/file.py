"""Level files: which lists a level is made of, the mapping they are read through, the libraries its names are looked up in."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from customs.errors import ReadError
from customs.json_text import loads
from customs.levels.entries import text_of
from customs.levels.mapping import OWN, Mapping, Part

ENDING = ".level"


class ListedLight(Part):
    """A light of a list in our own shape: candela (lux for a directional one), metres or None, radians, its transform column by column;
    it looks along its local −Z.
    """

    name: str = ""
    kind: Literal["directional", "point", "spot"] = "point"
    colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    intensity: float = Field(default=1.0, ge=0, allow_inf_nan=False)
    range: float | None = Field(default=None, ge=0)
    inner: float = Field(default=0.0, ge=0, le=4)
    outer: float = Field(default=0.7853981633974483, ge=0, le=4)
    matrix: tuple[Annotated[float, Field(allow_inf_nan=False)], ...] = Field(min_length=16, max_length=16)


class LevelFile(Part):
    """One level. Lists and libraries are named from where the file lies; a list of our own shape names itself."""

    level: Literal[1] = 1
    lists: tuple[str, ...] = Field(min_length=1)
    libraries: tuple[str, ...] = ()
    mapping: Mapping = OWN
    lights: tuple[ListedLight, ...] = ()
    unclear: dict[str, int] = {}
    """Names that may mean several files, and how many, as long as nobody has said which."""
    looked_in: tuple[str, ...] = ()
    """Folders a person had names looked up in: where missing ones are looked for again. Nothing is read from there by itself."""

    def text(self) -> str:
        """As it is written."""
        return json.dumps(self.model_dump(mode="json", exclude_defaults=True) | {"level": 1}, indent=1) + "\n"


def looks_like_level(head: bytes) -> bool:
    """True for the first bytes of a level file, or of a list in our own shape."""
    start = head.replace(b"\0", b"").lstrip(b"\xef\xbb\xbf\xff\xfe \t\r\n")
    return start.startswith(b"{") and start[1:].lstrip().startswith((b'"level"', b'"placements"', b'"lists"'))


def level_of(data: bytes, path: Path) -> LevelFile:
    """What a level file says; of a list in our own shape that it is its own, and its folder the library. Raises ReadError."""
    try:
        body: Any = loads(text_of(data, path))
        if isinstance(body, dict) and "lists" not in body and "placements" in body:
            lights = body.get("lights", ())
            return LevelFile(lists=(path.name,), libraries=(".",), lights=lights)
        return LevelFile.model_validate(body)
    except ValidationError as problem:
        first = problem.errors()[0]
        where = ".".join(str(p) for p in first["loc"])
        raise ReadError(
            f"{first.get('input')!r:.60}", str(first["msg"]), "Mend the level file.", path, where
        ) from None
    except (ValueError, RecursionError) as problem:
        raise ReadError(
            f"not well-formed JSON: {problem}", "a level file", "It may be cut off.", path
        ) from None
