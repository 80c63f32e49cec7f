"""Normals are one long."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive


def _bad(prim: Primitive) -> int:
    return facts_of(prim).bad_normals


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    def fix(mesh: Mesh) -> Remedy | None:
        return remedy("normals", "Mend normals", angle=case.sheet.mesh.normal_angle)

    yield from per_mesh(
        rule, case, _bad, "held", fix, "Normals of no or wrong length shade black or too bright."
    )


register(Requirement("normal-length", "Normals not one long", "fit", _judge, step="normals"))
