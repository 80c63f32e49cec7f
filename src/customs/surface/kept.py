"""Facts about pixels, found once and kept as long as the pixels live."""

from __future__ import annotations

import threading
import weakref
from collections.abc import Callable
from typing import Any, TypeVar

from customs.scene.model import Image

Fact = TypeVar("Fact")
_lock = threading.Lock()
_facts: dict[int, tuple[weakref.ref[Any], dict[str, Any]]] = {}


def _table(holder: Any) -> dict[str, Any]:
    """The facts kept with `holder`. Arrays cannot be keys, so they are told apart by identity while they live."""
    known = _facts.get(id(holder))
    if known is not None and known[0]() is holder:
        return known[1]
    number = id(holder)
    table: dict[str, Any] = {}
    _facts[number] = (weakref.ref(holder, lambda _: _facts.pop(number, None)), table)
    return table


def kept(name: str, image: Image, find: Callable[[], Fact]) -> Fact:
    """The fact `name` of an image's pixels; `find` is asked when it is not known yet."""
    holder = image.pixels if image.pixels is not None else image.content
    if holder is None:
        return find()
    with _lock:
        table = _table(holder)
        if name in table:
            return table[name]
    value = find()
    with _lock:
        table[name] = value
    return value
