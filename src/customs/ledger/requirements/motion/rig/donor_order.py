"""Joints come in the donor's order, with its numbers."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.donor import donor_case
from customs.ledger.row import Case, Requirement, Row, register, remedy, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    found = donor_case(case)
    if found is None or set(found[0].names) != set(found[1].names):
        return
    mine, theirs = found
    off = next((k for k, (a, b) in enumerate(zip(mine.names, theirs.names)) if a != b), -1)
    digest = case.about.donor.digest if case.about.donor else ""
    yield rule.row(
        "–",
        "the donor's",
        said((mine.names[off], off), f"{mine.names[off]} at {off}") if off >= 0 else "the donor's",
        "held" if off >= 0 else "cleared",
        note="Clips go by number: in another order they move the wrong parts." if off >= 0 else "",
        remedy=remedy("donor", "Take over the donor's skeleton", donor=digest) if off >= 0 else None,
    )


register(Requirement("donor-order", "Order of joints", "motion", _judge, step="donor"))
