"""Something to deliver: at least one triangle, or points and lines where those are taken."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    n = case.after.triangles
    loose = case.sheet.mesh.loose_points_lines == "allowed" and case.after.vertices > 0
    had = "No face of it is whole." if case.before.triangles else "There is nothing but points or lines."
    empty = had if case.before.vertices else "There is nothing in this asset."
    note = "" if n or loose else f"{empty} Was the right file taken in?"
    yield rule.row(
        f"{case.before.triangles:,}", "≥ 1", f"{n:,}", "cleared" if n or loose else "held", note=note
    )


register(Requirement("has-geometry", "Triangles", "intake", _judge))
