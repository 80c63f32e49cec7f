"""The one place for values that are found once and kept beside an object, as long as the object lives."""

from __future__ import annotations

import threading
import weakref
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

Value = TypeVar("Value")
_lock = threading.RLock()
_tables: dict[int, tuple[weakref.ref[Any], dict[Hashable, Any]]] = {}


def kept(name: Hashable, holder: Any, find: Callable[[], Value]) -> Value:
    """The value called `name` of `holder`; `find` is asked when it is not known yet.

    Holders are told apart by identity (arrays too), and must not change. Threads may ask at once: nothing is
    locked while a value is found, and all get the one that was found first. A value must not refer to its
    holder, which would keep it alive for good; the holder itself as the answer is not kept.
    """
    with _lock:
        table = _table(holder)
        if name in table:
            return table[name]
    value = find()
    if value is holder:
        return value
    with _lock:
        return table.setdefault(name, value)


def known(name: Hashable, holder: Any) -> Any:
    """The value called `name` of `holder` where it has been found, else None."""
    with _lock:
        return _table(holder).get(name)


def _table(holder: Any) -> dict[Hashable, Any]:
    number = id(holder)
    known = _tables.get(number)
    if known is not None and known[0]() is holder:
        return known[1]
    table: dict[Hashable, Any] = {}

    # Bound here, as this module's names may be gone before the last holder is.
    def gone(mark: weakref.ref[Any], lock: Any = _lock, tables: dict[int, Any] = _tables) -> None:
        with lock:
            # Another object may have the number by now.
            if (entry := tables.get(number)) is not None and entry[0] is mark:
                del tables[number]

    _tables[number] = (weakref.ref(holder, gone), table)
    return table


def latest(name: Hashable, holder: Any, mark: Any, find: Callable[[], Value]) -> Value:
    """`kept` for a value that also hangs on `mark`: the last one found is kept, one for each name and
    holder.
    """
    with _lock:
        table = _table(holder)
        known = table.get(name)
        if known is not None and known[0] == mark:
            return known[1]
    value = find()
    if value is not holder:
        with _lock:
            table[name] = (mark, value)
    return value


def kept_with(name: Hashable, holder: Any, other: Any, find: Callable[[], Value]) -> Value:
    """`kept` for a value that hangs on `other` as well, told by identity: one is kept for each name and holder."""
    with _lock:
        known = _table(holder).get(name)
        if known is not None and known[0]() is other:
            return known[1]
    value = find()
    with _lock:
        _table(holder)[name] = (weakref.ref(other), value)
    return value


def kept_weakly(name: Hashable, holder: Any, find: Callable[[], Value]) -> Value:
    """`kept` for something large: only as long as somebody else holds it too."""
    with _lock:
        known = _table(holder).get(name)
    there = known() if known is not None else None
    if there is not None:
        return there
    value = find()
    if value is not holder:
        with _lock:
            _table(holder)[name] = weakref.ref(value)
    return value


def forget_all() -> None:
    """Nothing is known of any object: for measurements of how long it takes to find out."""
    with _lock:
        for _, table in _tables.values():
            table.clear()
