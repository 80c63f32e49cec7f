"""Triangles of the whole asset within the limit."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import limit_row


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    limit = case.sheet.mesh.max_triangles
    fix = None if limit is None else remedy("simplify", "Simplify to the limit", sure=False, total=limit)
    note = "A coarser mesh fits; how far it strays is said once it is made. Or cut it into several assets."
    yield from limit_row(rule, case.before.triangles, limit, case.after.triangles, note, fix)


register(Requirement("triangle-limit", "Triangle limit", "fit", _judge, step="simplify"))
