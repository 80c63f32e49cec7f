"""The decisions of a shipment as a list: when each was made, of which assets, and a picture of what came of it."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

PICTURE = "picture:"
"""Before what the body of an asset is kept under: the picture of the asset as it was then."""


@dataclass(frozen=True)
class Decision:
    """One decision: its number, that of the one before it (None at the beginning), in words, and when (seconds since
    1970). `here` is the state the shipment is at; `on_line` are the decisions that led to it.
    """

    number: int
    before: int | None
    label: str
    made: float
    here: bool = False
    on_line: bool = False


class History:
    """`ask` answers a query with all its rows, or raises ShipmentError."""

    def __init__(self, ask: Callable[..., list[Any]]) -> None:
        self._ask = ask
        self._changed: dict[int, tuple[str, ...]] = {}

    def decisions(self, current: int) -> list[Decision]:
        """All of them, those that were undone too, the oldest first. Raises ShipmentError."""
        rows = self._ask("SELECT id, parent, label, made FROM states ORDER BY id")
        parents = {int(r[0]): r[1] for r in rows}
        line, at = set[int](), current
        while at in parents and at not in line:
            line.add(at)
            at = parents[at] if parents[at] is not None else -1
        return [
            Decision(int(n), None if p is None else int(p), str(t), float(m), n == current, n in line)
            for n, p, t, m in rows
        ]

    def changed(self, decision: Decision) -> tuple[str, ...]:
        """What the bodies of the assets it changed or brought are kept under, in their order. Raises ShipmentError."""
        if decision.number not in self._changed:
            before = set(self._goods(decision.before)) if decision.before is not None else set()
            now = self._goods(decision.number)
            self._changed[decision.number] = tuple(n for n in now if n not in before)
        return self._changed[decision.number]

    def _goods(self, number: int) -> list[str]:
        rows = self._ask("SELECT body FROM states WHERE id = ?", number)
        try:
            goods = json.loads(rows[0][0]).get("goods", ()) if rows else ()
        except (ValueError, AttributeError):
            goods = ()
        return [g for g in goods if isinstance(g, str)]

    def picture(self, name: str) -> bytes | None:
        """The picture (PNG) kept of the asset whose body is kept under `name`. Raises ShipmentError."""
        rows = self._ask("SELECT body FROM blobs WHERE digest = ?", PICTURE + name)
        return bytes(rows[0][0]) if rows else None


def keep_pictures(db: sqlite3.Connection, drawn: Sequence[tuple[str, bytes]]) -> None:
    """Pictures beside the bodies of their assets; the newest stand. Raises sqlite3.Error."""
    db.executemany("INSERT OR REPLACE INTO blobs VALUES (?, ?)", [(PICTURE + n, png) for n, png in drawn])
