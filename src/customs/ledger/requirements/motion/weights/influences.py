"""No more influences on a vertex than the destination takes."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import limit_row, shown


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    limit = case.sheet.rig.influences
    before, after = (
        max((facts_of(p).influences for m in shown(f) for p in m.primitives), default=0)
        for f in (case.before, case.after)
    )
    note = "The rest is cut off there, unscaled, and the mesh caves in."
    yield from limit_row(
        rule, before, limit, after, note, remedy("weights", f"Keep the {limit} strongest", limit=limit)
    )


register(Requirement("influences", "Influences per vertex", "motion", _judge, step="weights"))
