"""Pieces of a level against the destination's grid."""

from __future__ import annotations

from collections.abc import Iterator

from customs.grounds.modules import offences
from customs.ledger.grounds import asked
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.words import many

MOST = 50


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    step = case.sheet.grounds.module
    if not asked(case) or not step:
        return
    before, now = offences(case.arrived, step), offences(case.delivering, step)
    received = f"{many(len(before), 'offence')}" if before else "on the grid"
    for o in now[:MOST]:
        yield rule.row(
            received, f"on a grid of {step:g} m", said(round(o.off, 6), f"{o.what} {o.off * 1000:+.1f} mm along {o.axis}"), "query",
            subject=f"{o.name} {o.what} {o.axis}", subject_name=o.name,
            note="It leaves a gap, or lies in its neighbour, where pieces are put together there.",
            remedy=remedy("modules", "Bring it onto the grid", grid=step, only=(o.name,)),
        )  # fmt: skip
    if not now:
        yield rule.row(received, f"on a grid of {step:g} m", "on the grid", "cleared")


register(Requirement("modules", "Modules", "grounds", _judge, step="modules"))
