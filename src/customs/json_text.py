"""JSON written by others: numbers of any length, names of any characters, nested as deep as a reader
allows.
"""

from __future__ import annotations

import json
import re
from typing import Any

LONGEST = 18
"""Digits from which a whole number no longer fits 64 bits: it is read as a number with a point, infinite
where it must be.
"""
LARGE = 1 << 20
"""Characters from which others get their turn while a text is parsed."""
_ODD = re.compile("[\ud800-\udfff\0]")


def _as_it_is(table: dict[str, Any]) -> dict[str, Any]:
    return table


def _whole(text: str) -> int | float:
    return int(text) if len(text) <= LONGEST else float(text)


def loads(text: str) -> Any:
    """Values of JSON text. Raises json.JSONDecodeError, RecursionError.

    Half a surrogate pair and NUL stand for no character that a name, a page or a terminal could hold: they
    become U+FFFD.
    """
    # The parser holds the interpreter's lock from end to end, for a second where there are a hundred thousand tables; a function of
    # Python's own that is called for each of them lets a window have it in between.
    value = json.loads(text, parse_int=_whole, object_hook=_as_it_is if len(text) > LARGE else None)
    return _cleaned(value) if "\\u" in text or _ODD.search(text) else value


def _cleaned(value: Any) -> Any:
    if isinstance(value, str):
        return _ODD.sub("\ufffd", value)
    if isinstance(value, list):
        return [_cleaned(v) for v in value]
    if isinstance(value, dict):
        return {_ODD.sub("\ufffd", k): _cleaned(v) for k, v in value.items()}
    return value
