"""Numbers that are not finite."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive


def _broken(prim: Primitive) -> int:
    return facts_of(prim).not_finite


def _fix(mesh: Mesh) -> Remedy | None:
    return remedy("drop-broken", "Drop broken faces", not_finite=True)


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    note = "The file holds vertices with infinite or undefined numbers."
    yield from per_mesh(rule, case, _broken, "held", _fix, note)


register(Requirement("finite", "Numbers not finite", "fit", _judge, step="drop-broken"))
