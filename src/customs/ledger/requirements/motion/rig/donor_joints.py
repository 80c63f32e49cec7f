"""The skeleton is the donor's: every joint, by name."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.donor import donor_case
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    found = donor_case(case)
    if found is None:
        return
    mine, theirs = found
    lost, extra = sorted(set(theirs.names) - set(mine.names)), sorted(set(mine.names) - set(theirs.names))
    bad = bool(lost or extra)
    text = "; ".join(
        t
        for t in (
            f"lacks {', '.join(lost[:3])}" if lost else "",
            f"has {', '.join(extra[:3])}" if extra else "",
        )
        if t
    )
    digest = case.about.donor.digest if case.about.donor else ""
    yield rule.row(
        many(len(case.before.used_skins), "skin"),
        said(theirs.count, many(theirs.count, "joint")),
        said(text or mine.count, text or many(mine.count, "joint")),
        "held" if bad else "cleared",
        note="Clips of the destination move its own joints; others tear or stand still." if bad else "",
        remedy=remedy("donor", "Take over the donor's skeleton", donor=digest)
        if bad and case.delivering.skins
        else None,
    )


register(Requirement("donor-joints", "Joints of the donor", "motion", _judge, step="donor"))
