"""Triangles of the whole asset within the limit."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import limit_row


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    note = "Deliver a coarser mesh, or cut it into several assets."
    yield from limit_row(
        rule, case.before.triangles, case.sheet.mesh.max_triangles, case.after.triangles, note
    )


register(Requirement("triangle-limit", "Triangle limit", "fit", _judge))
