"""UVs within 0 to 1, where the sheet asks for that."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import per_mesh
from customs.scene.model import Primitive


def _outside(prim: Primitive) -> int:
    return facts_of(prim).outside_square


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.mesh.texcoords_in_square:
        note = "A texture that repeats is cut off there. Lay the UVs out within the square."
        yield from per_mesh(rule, case, _outside, "query", lambda mesh: None, note)


register(Requirement("texcoord-square", "UVs outside 0 to 1", "fit", _judge))
