"""No copy of a mesh made for an outline, where the sheet draws outlines itself or not at all."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.motion.rig.leftovers import outlines


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.rig.outlines != "forbidden":
        return
    before, after = (outlines(s) for s in (case.arrived, case.delivering))
    names = ", ".join(case.delivering.nodes[n].name for n in after[:3])
    yield rule.row(
        len(before),
        "none",
        said(len(after), names or "0"),
        "held" if after else "cleared",
        note="A copy turned inside out shows as a dark hull there." if after else "",
        remedy=remedy("leftovers", "Drop outline copies", outlines=True) if after else None,
    )


register(Requirement("outlines", "Outline copies", "motion", _judge, step="leftovers"))
