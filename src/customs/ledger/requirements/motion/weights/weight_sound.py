"""No weight is negative, no number or of a joint outside the list."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.before.used_skins and not case.after.used_skins:
        return
    yield from per_mesh(
        rule,
        case,
        lambda p: facts_of(p).broken_weights,
        "held",
        lambda m: remedy("weightless", "Clear broken weights", targets=(str(m.key),)),
        "Weights below zero or without a number throw vertices to where nobody looks.",
        mask=None,
    )


register(Requirement("weight-sound", "Sound weights", "motion", _judge, step="weightless"))
