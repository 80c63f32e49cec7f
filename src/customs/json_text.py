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
_ODD = re.compile("[\ud800-\udfff\0]")


def _whole(text: str) -> int | float:
    return int(text) if len(text) <= LONGEST else float(text)


def loads(text: str) -> Any:
    """Values of JSON text. Raises json.JSONDecodeError, RecursionError.

    Half a surrogate pair and NUL stand for no character that a name, a page or a terminal could hold: they
    become U+FFFD.
    """
    value = json.loads(text, parse_int=_whole)
    return _cleaned(value) if "\\u" in text or _ODD.search(text) else value


def _cleaned(value: Any) -> Any:
    if isinstance(value, str):
        return _ODD.sub("\ufffd", value)
    if isinstance(value, list):
        return [_cleaned(v) for v in value]
    if isinstance(value, dict):
        return {_ODD.sub("\ufffd", k): _cleaned(v) for k, v in value.items()}
    return value
