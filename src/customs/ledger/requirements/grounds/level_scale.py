"""A level is as large as its doors and steps say."""

from __future__ import annotations

from collections.abc import Iterator

from customs.grounds.scale import evidence, proposal
from customs.ledger.grounds import asked
from customs.ledger.row import Case, Requirement, Row, register, remedy, said

SHOWN = 4


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not asked(case):
        return
    now = evidence(case.delivering)
    if not now:
        return
    factor = proposal(now)
    text = "; ".join(e.text() for e in now[:SHOWN])
    received = "; ".join(f"{e.what} {e.is_:.3g} m" for e in evidence(case.arrived)[:2])
    required = "doors 2.0–2.1 m, steps 0.15–0.18 m"
    if factor == 1.0:
        yield rule.row(received, required, text, "cleared")
        return
    yield rule.row(
        received, required, said(round(factor, 4), text), "query",
        note=f"By these it is {1 / factor:.4g} times as large as it should be.",
        remedy=remedy("scale", f"Scale × {factor:.4g}", factor=factor),
    )  # fmt: skip


register(Requirement("level-scale", "Size by doors and steps", "grounds", _judge, step="scale"))
