"""Levels of detail that came along: all of them are drawn at once unless somebody says which, or the destination is told."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.came_levels import families
from customs.changes.came_rows import row_levels
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    yield from _placed(rule, case)
    before, now = families(case.arrived), families(case.delivering)
    if not before:
        return
    # Where a kit takes one mesh those that came would be parts of the finest; where it takes levels they are those.
    one, keeps = case.sheet.model.single_mesh, _keeps(case)
    tried = any(at.stop.step == "kept-levels" for at in case.passed)
    received = many(sum(len(f.members) for f in before), "level")
    for family in now:
        node = case.delivering.nodes[family.members[0][1]]
        counts = " · ".join(f"{t:,}" for t in family.triangles)
        yield rule.row(
            received, "the finest, or told apart", said(family.triangles, f"{many(len(family.members), 'level')}: {counts}"), "query",
            subject=str(node.key), subject_name=family.name, place=Place(node.key, "node"),
            remedy=remedy("kept-levels", "Keep them as levels", True)
            if keeps and not tried
            else remedy("finest-levels", "Keep the finest", one, targets=(str(node.key),)),
            note="They stand in one place: a destination that does not know them draws them all at once.",
        )  # fmt: skip
    if not now:
        levels = sum(len(m.levels) + 1 for m in case.delivering.meshes if m.levels)
        text = many(levels, "level") + ", told apart" if levels else "the finest"
        yield rule.row(received, "the finest, or told apart", said(levels, text), "cleared")


def _placed(rule: Requirement, case: Case) -> Iterator[Row]:
    """Of what a level repeats, all sets of levels as one row: there may be thousands."""
    before, now = row_levels(case.arrived), row_levels(case.delivering)
    if not before.sets:
        return
    text = f"{many(now.sets, 'set')}, {int(now.coarser.sum()):,} coarser placements"
    yield rule.row(
        many(before.sets, "set"), "the finest", said(now.sets, text) if now.sets else "the finest",
        "query" if now.sets else "cleared", subject="placed", subject_name="placed sets",
        remedy=remedy("finest-levels", "Keep the finest") if now.sets else None,
        note="They stand in one place and pop in and out." if now.sets else "",
    )  # fmt: skip


def _keeps(case: Case) -> bool:
    """True where the destination takes several levels of what is not one mesh alone."""
    rules = case.sheet.levels
    return rules.form != "none" and rules.most > 1 and not case.sheet.model.single_mesh


register(Requirement("came-levels", "Levels that came along", "fittings", _judge, step="finest-levels"))
