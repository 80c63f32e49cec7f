"""Vertices that say the same thing twice, or that no face uses."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive


def _spare(prim: Primitive) -> int:
    return facts_of(prim).spare_vertices


def _fix(mesh: Mesh) -> Remedy | None:
    return remedy("weld", "Weld vertices")


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.mesh.welded:
        yield from per_mesh(
            rule, case, _spare, "query", _fix, "Larger than need be, and smoothing breaks at them."
        )


register(Requirement("welded", "Spare vertices", "fit", _judge, step="weld"))
