"""Rows as plain JSON and back, for ledgers that are kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import fields
from typing import Any

from customs.ledger.ledger import KnownVerdict, Ledger
from customs.ledger.row import RANK, Place, Remedy, Row
from customs.route.step import get_step, make_settings
from customs.scene.key import Key

_PLAIN = tuple(f.name for f in fields(Row) if f.name not in ("remedy", "place", "values"))


def ledger_table(ledger: Ledger) -> list[dict[str, Any]]:
    """All rows, in their order. Values that JSON does not know raise TypeError."""
    return [_row_table(r) for r in ledger.rows]


def ledger_of(table: Any) -> Ledger:
    """The ledger `ledger_table` told. Raises KeyError, TypeError, ValueError or StepError for anything
    else.
    """
    return Ledger(tuple(_row_of(t) for t in table))


def known_verdict(verdict: Any, table: Callable[[], Any]) -> Ledger:
    """The same, the table asked for and its rows made when they are. Raises ValueError where the verdict is none."""
    if verdict not in RANK:
        raise ValueError(verdict)
    return KnownVerdict(verdict, lambda: ledger_of(table()).rows)


def _row_table(row: Row) -> dict[str, Any]:
    out = {n: v for n in _PLAIN if (v := getattr(row, n)) not in ("", None)}
    if row.values:
        out["values"] = dict(row.values)
    if (fix := row.remedy) is not None:
        out["remedy"] = [fix.step, dict(fix.values), fix.label, fix.sure]
    if (place := row.place) is not None:
        out["place"] = [str(place.key), place.key.old, place.kind, place.ranges]
    return out


def _row_of(table: Mapping[str, Any]) -> Row:
    plain = {n: table[n] for n in _PLAIN if n in table}
    for name in ("received", "required", "delivering"):
        plain.setdefault(name, "")
    if plain["verdict"] not in RANK:
        raise ValueError(plain["verdict"])
    fix, place = table.get("remedy"), table.get("place")
    return Row(
        **plain,
        values={k: _frozen(v) for k, v in table.get("values", {}).items()},
        remedy=_remedy(*fix) if fix is not None else None,
        place=_place(*place) if place is not None else None,
    )


def _remedy(step: str, values: Mapping[str, Any], label: str, sure: bool) -> Remedy:
    return Remedy(step, make_settings(get_step(step), dict(values)), label, sure)


def _place(key: str, old: str, kind: Any, ranges: Any) -> Place:
    found = Key.parse(key)
    return Place(
        Key(found.digest, found.kind, found.ordinal, found.path, old),
        kind,
        tuple((int(a), int(b)) for a, b in ranges),
    )


def _frozen(value: Any) -> Any:
    return tuple(_frozen(v) for v in value) if isinstance(value, list | tuple) else value
