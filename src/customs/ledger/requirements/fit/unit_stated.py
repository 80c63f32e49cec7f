"""Someone has said how long a unit is."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    who = case.arrived.convention.stated
    known = who in ("person", "origin", "file")
    unit = case.sheet.axes.unit_name
    note = (
        ""
        if known
        else f"{case.received.format.upper()} states no unit; metres are assumed. Choose an origin, or set the scale on the desk Fit."
    )
    yield rule.row(f"said by {who}", f"1 unit = 1 {unit}", f"1 unit = 1 {unit}", "cleared" if known else "query", note=note)


register(Requirement("unit-stated", "Unit", "fit", _judge))
