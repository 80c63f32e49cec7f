"""The weights of every vertex sum to one."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.ledger.shapes import shown
from customs.tolerances import WEIGHT_SUM


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = (
        max((facts_of(p).weight_error for m in shown(f) for p in m.primitives), default=0.0)
        for f in (case.before, case.after)
    )
    bad = after > WEIGHT_SUM
    yield rule.row(
        f"{before:.2g} off",
        1,
        said(round(after, 6), f"{after:.2g} off") if bad else "1",
        "held" if bad else "cleared",
        note="Vertices drift towards the origin where the sum is not one." if bad else "",
        remedy=remedy("weight-sums", "Bring to one") if bad else None,
    )


register(Requirement("weight-sum", "Sum of weights", "motion", _judge, step="weight-sums"))
