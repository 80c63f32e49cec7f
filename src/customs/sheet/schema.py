"""Every key of a sheet with its meaning, unit, default and what it takes, read from the schema; and single keys changed in a sheet's
text.
"""

from __future__ import annotations

import json
import re
import types
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel

from customs.sheet.meanings import MEANINGS
from customs.sheet.model import Sheet


@dataclass(frozen=True)
class Key:
    """A key by its path; what it takes in words, the values where they are few, its default as TOML ("" for none)."""

    path: str
    takes: str
    options: tuple[str, ...]
    default: str
    meaning: str
    unit: str

    @property
    def table(self) -> str:
        """The table it stands in, "" for the top."""
        return self.path.rpartition(".")[0]

    @property
    def name(self) -> str:
        """The key within its table."""
        return self.path.rpartition(".")[2]


@cache
def sheet_keys() -> tuple[Key, ...]:
    """All keys in the order of the schema; lists of tables are one key each."""
    return tuple(_keys(Sheet, ""))


def _keys(model: type[BaseModel], above: str) -> Iterator[Key]:
    for name, field in model.model_fields.items():
        path, kind = f"{above}{name}", field.annotation
        if isinstance(kind, type) and issubclass(kind, BaseModel):
            yield from _keys(kind, f"{path}.")
            continue
        bounds = [f"{word} {getattr(m, a):g}" for m in field.metadata for a, word in BOUNDS if hasattr(m, a)]
        takes, options = _takes(kind)
        meaning, unit = MEANINGS.get(path, ("", ""))
        default = "" if field.is_required() else to_toml(field.get_default(call_default_factory=True))
        yield Key(path, ", ".join([takes, *bounds]), options, default, meaning, unit)


BOUNDS = (("ge", "at least"), ("gt", "above"), ("le", "at most"), ("lt", "below"), ("max_length", "at most"))


def _takes(kind: Any) -> tuple[str, tuple[str, ...]]:
    """What an annotation takes, in words, and its values where they are few."""
    origin, args = get_origin(kind), get_args(kind)
    if origin is Annotated:
        return _takes(args[0])
    if origin is Literal:
        options = tuple(str(a) for a in args)
        return "one of " + ", ".join(o or "nothing" for o in options), options
    if origin in (Union, types.UnionType):
        kinds = [a for a in args if a is not type(None)]
        words, options = _takes(kinds[0])
        return (f"{words}, or nothing" if len(kinds) < len(args) else words), options
    if origin in (tuple, list):
        inner = [a for a in args if a is not Ellipsis]
        if inner and isinstance(inner[0], type) and issubclass(inner[0], BaseModel):
            return "tables", ()
        words, options = _takes(inner[0]) if inner else ("values", ())
        count = "a list" if Ellipsis in args else f"{len(inner)} values"
        return f"{count}: {words}", options
    if origin is dict:
        return "names and values", ()
    if kind is bool:
        return "true or false", ("true", "false")
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return "a table", ()
    return {int: "a whole number", float: "a number", str: "text"}.get(kind, "a value"), ()


def to_toml(value: Any) -> str:
    """A value as TOML 1.0 writes it, "" for nothing; JSON's strings and numbers are its own."""
    if value is None or isinstance(value, BaseModel):
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, dict):
        rows = (f"{bare(k)} = {to_toml(v)}" for k, v in value.items())
        return "{" + ", ".join(rows) + "}"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(to_toml(v) for v in value) + "]"
    return json.dumps(value, ensure_ascii=False)


def bare(key: Any) -> str:
    """A key as TOML writes it: quoted where it has to be."""
    text = str(key)
    return text if re.fullmatch(r"[A-Za-z0-9_-]+", text) else json.dumps(text, ensure_ascii=False)


def value_in(sheet: Sheet, path: str) -> str:
    """The value of a key in a sheet, as TOML."""
    value: Any = sheet
    for part in path.split("."):
        value = getattr(value, part)
    return to_toml(value)


def with_key(text: str, path: str, value: str) -> str:
    """A sheet's text with one key set to `value` (TOML); "" takes its line away. All else stays as it is."""
    table, _, key = path.rpartition(".")
    lines = text.split("\n")
    begin, end = _table(lines, table)
    if begin < 0:
        gap = [] if not lines or not lines[-1] else [""]
        return "\n".join([*lines, *gap, f"[{table}]", f"{key} = {value}", ""]) if value else text
    at = next((i for i in range(begin, end) if re.match(rf"\s*{re.escape(key)}\s*=", lines[i])), -1)
    if at < 0:
        if not value:
            return text
        last = max((i for i in range(begin, end) if lines[i].strip()), default=begin - 1)
        return "\n".join([*lines[: last + 1], f"{key} = {value}", *lines[last + 1 :]])
    stop = _value_end(lines, at, end)
    if stop == at + 1 and value and (comment := re.search(r"\s+#[^\"']*$", lines[at].partition("=")[2])):
        value += comment[0]
    return "\n".join([*lines[:at], *([f"{key} = {value}"] if value else []), *lines[stop:]])


def _table(lines: list[str], table: str) -> tuple[int, int]:
    """(the line behind a table's head, the line of the next head); −1 where there is none."""
    heads = [
        i
        for i, line in enumerate(lines)
        if re.match(r"\s*\[", line) and not re.match(r"\s*\[[^\]]*[,=\"]", line)
    ]
    if not table:
        return 0, heads[0] if heads else len(lines)
    at = next((i for i in heads if re.match(rf"\s*\[{re.escape(table)}\]", lines[i])), -1)
    if at < 0:
        return -1, -1
    return at + 1, next((i for i in heads if i > at), len(lines))


def _value_end(lines: list[str], at: int, end: int) -> int:
    """The line behind a value that may go over several."""
    text = lines[at].partition("=")[2]
    stop = at + 1
    while stop < end and (text.count("[") > text.count("]") or text.count('"""') % 2):
        text += "\n" + lines[stop]
        stop += 1
    return stop
