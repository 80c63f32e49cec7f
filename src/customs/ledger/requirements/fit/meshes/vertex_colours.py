"""Vertex colours, where the sheet forbids or asks for them."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import forbidden_row, total


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = (total(f, lambda p: int(bool(p.colours))) for f in (case.before, case.after))
    fix = (
        remedy("drop-colours", "Drop vertex colours")
        if case.sheet.mesh.vertex_colours != "required"
        else None
    )
    carried = "colours" in case.format.carries
    yield from forbidden_row(
        rule, before, case.sheet.mesh.vertex_colours, after, "They tint the surface.", fix, carried
    )


register(Requirement("vertex-colours", "Parts with vertex colours", "fit", _judge, step="drop-colours"))
