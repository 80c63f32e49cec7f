"""Someone has said which way is up: the file, its format, an origin or a person."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said
from customs.ledger.stated import SAID_BY


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    had = case.received.convention
    who = case.arrived.convention.stated
    wants = case.sheet.axes.convention("down").axes_text()
    known = who in ("person", "origin", "file")
    format_name = case.received.format.upper()
    note = (
        ""
        if known
        else f"{format_name} states no axes; {had.axes_text()} is assumed. Choose an origin on the desk Intake."
    )
    yield rule.row(
        SAID_BY[who], "said", said(had.axes_text(), wants), "cleared" if known else "query", note=note
    )


register(Requirement("axes-stated", "Axes", "fit", _judge))
