"""Every joint moves something, or leads to one that does."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.motion.rig.leftovers import idle_joints


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.rig.one_skeleton or not case.after.used_skins or case.sheet.rig.donor:
        return
    before, after = (idle_joints(s) for s in (case.arrived, case.delivering))
    names = ", ".join(case.delivering.nodes[j].name for j in after[:4])
    yield rule.row(
        len(before),
        0,
        said(len(after), names or "0"),
        "query" if after else "cleared",
        note="They cost memory and confuse pairing; keep those something else is hung on." if after else "",
        remedy=remedy("leftovers", "Drop them", joints=True) if after else None,
        badness=len(after),
    )


register(Requirement("joints-idle", "Joints that move nothing", "motion", _judge, step="leftovers"))
