"""Cameras, where the destination takes none."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import forbidden_row


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = len(case.arrived.cameras), len(case.delivering.cameras)
    fix = remedy("leave-out", "Leave cameras out", cameras=True)
    carried = "cameras" in case.format.carries
    yield from forbidden_row(rule, before, case.sheet.model.cameras, after, "No cameras there.", fix, carried)


register(Requirement("cameras", "Cameras", "fit", _judge, step="leave-out"))
