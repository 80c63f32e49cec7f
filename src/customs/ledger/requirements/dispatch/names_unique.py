"""No name twice within a kind."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Literal

from customs.ledger.names import name_fix, named
from customs.ledger.row import Case, Requirement, Row, register, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.names.unique:
        return
    rows: Literal["each", "none"] = "each" if case.sheet.names.placements_unique else "none"
    counts = Counter((kind, item.name.lower()) for kind, item in named(case.delivering, rows))
    before = Counter((kind, item.name.lower()) for kind, item in named(case.arrived, rows))
    twice = [(k, n) for (k, n), c in counts.items() if c > 1]
    for kind, name in twice:
        has = said((counts[(kind, name)], name), f"{counts[(kind, name)]} × {name}")
        yield rule.row(
            has,
            "each once",
            has,
            "held",
            subject=f"{kind} {name}",
            subject_name=name,
            note=f"Two of kind {kind} with one name overwrite each other.",
            remedy=name_fix(case.sheet),
        )
    if not twice:
        yield rule.row(f"{sum(c > 1 for c in before.values())} twice", "each once", "each once", "cleared")


register(Requirement("names-unique", "Names used once", "dispatch", _judge, step="rename"))
