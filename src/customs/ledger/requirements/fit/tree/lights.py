"""Lights, where the destination takes none."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import forbidden_row


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = len(case.arrived.lights), len(case.delivering.lights)
    fix = remedy("leave-out", "Leave lights out", lights=True)
    carried = "lights" in case.format.carries
    yield from forbidden_row(rule, before, case.sheet.model.lights, after, "No lights there.", fix, carried)


register(Requirement("lights", "Lights", "fit", _judge, step="leave-out"))
