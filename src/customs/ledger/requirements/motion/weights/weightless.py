"""Every vertex of a skinned mesh has a sound weight."""

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
        lambda p: facts_of(p).weightless,
        "held",
        lambda m: remedy("weightless", "Fill from neighbours", targets=(str(m.key),)),
        "They stay behind at the origin while the rest moves.",
        mask=None,
    )


register(Requirement("weightless", "Vertices without weights", "motion", _judge, step="weightless"))
