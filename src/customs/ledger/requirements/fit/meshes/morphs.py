"""Morph targets, where neither sheet nor format takes them."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import forbidden_row, total


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = (total(f, lambda p: len(p.targets)) for f in (case.before, case.after))
    fix = remedy("leave-out", "Settle morph targets", morphs=True)
    carried = "morphs" in case.format.carries
    yield from forbidden_row(
        rule, before, case.sheet.mesh.morphs, after, "Morph targets are lost there.", fix, carried
    )


register(Requirement("morphs", "Morph targets", "fit", _judge, step="leave-out"))
