"""Levels of detail that came along: all of them are drawn at once unless somebody says which."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.came_levels import families
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, now = families(case.arrived), families(case.delivering)
    if not before:
        return
    # Where a kit takes one mesh, or levels it is told of, those that came would be parts of the finest.
    sure = case.sheet.model.single_mesh or case.sheet.levels.form != "none"
    received = many(sum(len(f.members) for f in before), "level")
    for family in now:
        node = case.delivering.nodes[family.members[0][1]]
        counts = " · ".join(f"{t:,}" for t in family.triangles)
        yield rule.row(
            received, "the finest, or told apart", said(family.triangles, f"{many(len(family.members), 'level')}: {counts}"), "query",
            subject=str(node.key), subject_name=family.name, place=Place(node.key, "node"),
            remedy=remedy("finest-levels", "Keep the finest", sure, targets=(str(node.key),)),
            note="They stand in one place: a destination that does not know them draws them all at once.",
        )  # fmt: skip
    if not now:
        yield rule.row(received, "the finest, or told apart", "the finest", "cleared")


register(Requirement("came-levels", "Levels that came along", "fittings", _judge, step="finest-levels"))
