"""Kinds of things a destination has no use for."""

from __future__ import annotations

from collections.abc import Iterator

from customs.grounds.kinds import kinds_of
from customs.grounds.rules import STAND_IN, TITLES
from customs.ledger.grounds import asked
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.grounds
    if not asked(case):
        return
    before, now = kinds_of(case.arrived).counts(), kinds_of(case.delivering).counts()
    for kind in rules.leave_out:
        had, has = before.get(kind, (0, 0)), now.get(kind, (0, 0))
        if kind == STAND_IN or not (had[0] or has[0]):
            continue
        text = f"{many(has[0], 'thing')}, {has[1]:,} triangles" if has[0] else "none"
        yield rule.row(
            many(had[0], "thing"), "none", said(has[0], text), "held" if has[0] else "cleared",
            subject=kind, subject_name=TITLES[kind],
            note="Not taken there." if has[0] else "",
            remedy=remedy("kinds", f"Leave {TITLES[kind]} out", left_out=(kind,)) if has[0] else None,
        )  # fmt: skip


register(Requirement("kinds-left-out", "Kinds left out", "grounds", _judge, step="kinds"))
