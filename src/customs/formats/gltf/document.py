"""Typed, checked access to glTF JSON: nothing is used before its type and range are known."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from typing import Any

from customs.errors import ReadError
from customs.formats.source import Source
from customs.json_text import loads
from customs.scene.model import NO_EXTRAS

TOO_DEEP = 64


class Obj:
    """A JSON object at a known place. Properties read are noted, so what is left over can be kept and
    reported.
    """

    def __init__(self, value: Any, where: str, source: Source) -> None:
        self.where = where
        self.source = source
        if not isinstance(value, dict):
            raise self.fail("", value, "an object")
        self.value: dict[str, Any] = value
        self.seen: set[str] = {"extensions", "extras"}

    def fail(self, name: str, found: Any, expected: str) -> ReadError:
        """A ReadError at property `name`."""
        shown = found if isinstance(found, str) and found.strip() else json.dumps(found, default=str)
        where = f"{self.where}/{name}".rstrip("/") or "/"
        todo = "Export the file again, or mend it at this place."
        return self.source.error(where, shown if len(shown) < 60 else shown[:57] + "...", expected, todo)

    def raw(self, name: str) -> Any:
        """The property as it stands, None when absent."""
        self.seen.add(name)
        return self.value.get(name)

    def integer(
        self, name: str, default: int | None = None, below: int | None = None, least: int = 0
    ) -> int | None:
        """A whole number in least..below−1, or `default` when absent."""
        value = self.raw(name)
        if value is None and name not in self.value:
            return default
        whole = isinstance(value, int) or (isinstance(value, float) and value.is_integer())
        top = f"{below - 1}" if below is not None else "…"
        if isinstance(value, bool) or not whole or value < least or (below is not None and value >= below):
            raise self.fail(name, value, f"a whole number {least}..{top}")
        return int(value)

    def need_integer(self, name: str, below: int | None = None, least: int = 0) -> int:
        """As `integer`, but absence is an error."""
        value = self.integer(name, None, below, least)
        if value is None:
            raise self.fail(name, "nothing", "a whole number")
        return value

    def number(self, name: str, default: float, least: float = -math.inf, most: float = math.inf) -> float:
        """A finite number within bounds, or `default`."""
        value = self.raw(name)
        if value is None and name not in self.value:
            return default
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            raise self.fail(name, value, "a finite number")
        if not least <= value <= most:
            raise self.fail(name, value, f"a number {least}..{most}")
        return float(value)

    def numbers(
        self, name: str, count: int | None, default: tuple[float, ...] | None = None
    ) -> tuple[float, ...] | None:
        """A list of `count` finite numbers (any count for None), or `default`."""
        value = self.raw(name)
        if value is None and name not in self.value:
            return default
        good = isinstance(value, list) and (count is None or len(value) == count)
        if not good or not all(
            isinstance(x, int | float) and not isinstance(x, bool) and math.isfinite(x) for x in value
        ):
            raise self.fail(
                name,
                value,
                f"a list of {count if count is not None else ''} finite numbers".replace("  ", " "),
            )
        return tuple(float(x) for x in value)

    def integers(self, name: str, below: int) -> tuple[int, ...]:
        """A list of whole numbers 0..below−1; empty when absent."""
        value = self.raw(name)
        if value is None and name not in self.value:
            return ()
        if not isinstance(value, list) or not all(
            isinstance(x, int) and not isinstance(x, bool) and 0 <= x < below for x in value
        ):
            raise self.fail(name, value, f"a list of whole numbers 0..{below - 1}")
        return tuple(value)

    def text(self, name: str, default: str = "") -> str:
        """A string, or `default`."""
        value = self.raw(name)
        if value is None and name not in self.value:
            return default
        if not isinstance(value, str):
            raise self.fail(name, value, "a string")
        return value

    def flag(self, name: str, default: bool = False) -> bool:
        """A boolean, or `default`."""
        value = self.raw(name)
        if value is None and name not in self.value:
            return default
        if not isinstance(value, bool):
            raise self.fail(name, value, "true or false")
        return value

    def child(self, name: str) -> Obj | None:
        """An object, or None when absent."""
        if name not in self.value:
            return None
        return Obj(self.raw(name), f"{self.where}/{name}", self.source)

    def children(self, name: str) -> list[Obj]:
        """A list of objects; empty when absent."""
        value = self.raw(name)
        if value is None and name not in self.value:
            return []
        if not isinstance(value, list):
            raise self.fail(name, value, "a list")
        return [Obj(v, f"{self.where}/{name}/{i}", self.source) for i, v in enumerate(value)]

    def extension(self, name: str) -> Obj | None:
        """The object of extension `name`, or None."""
        table = self.value.get("extensions")
        if table is None:
            return None
        if not isinstance(table, dict):
            raise self.fail("extensions", table, "an object")
        if name not in table:
            return None
        return Obj(table[name], f"{self.where}/extensions/{name}", self.source)

    def extras(self, known: frozenset[str], unknown: set[str]) -> Mapping[str, Any]:
        """`extras` of this object with all that is not understood kept under `kept`; names go to
        `unknown`.
        """
        own = self.value.get("extras")
        out: dict[str, Any] = dict(own) if isinstance(own, dict) else ({} if own is None else {"extras": own})
        kept = {k: v for k, v in self.value.items() if k not in self.seen}
        table = self.value.get("extensions", {})
        if not isinstance(table, dict):
            raise self.fail("extensions", table, "an object")
        strange = {k: v for k, v in table.items() if k not in known}
        unknown.update(strange)
        unknown.update(f"property {k}" for k in kept)
        if strange:
            kept["extensions"] = strange
        if kept:
            out["kept"] = dict(before) | kept if isinstance(before := out.get("kept"), dict) else kept
        return out or NO_EXTRAS


def parse_json(data: bytes | memoryview, source: Source) -> Any:
    """JSON text as Python values. Raises ReadError with line and column."""
    try:
        return loads(bytes(data).decode("utf-8-sig"))
    except UnicodeDecodeError as problem:
        raise source.error(
            f"byte {problem.start}", "text that is not UTF-8", "UTF-8 JSON", "Export again."
        ) from None
    except json.JSONDecodeError as problem:
        where = f"line {problem.lineno}, column {problem.colno}"
        raise source.error(where, problem.msg, "well-formed JSON", "Export the file again.") from None
    except RecursionError:
        raise source.error("", "JSON nested without end", f"at most {TOO_DEEP} levels") from None
