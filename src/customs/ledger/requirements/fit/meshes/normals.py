"""Every face has normals."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive


def _missing(prim: Primitive) -> int:
    return len(prim.positions) if prim.normals is None and facts_of(prim).faces else 0


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.mesh

    def fix(mesh: Mesh) -> Remedy | None:
        return remedy("normals", f"Make normals, {rules.normal_angle:g}°", angle=rules.normal_angle)

    if rules.normals == "required":
        yield from per_mesh(
            rule, case, _missing, "held", fix, "Without normals every face looks flat or black."
        )


register(Requirement("normals", "Vertices without normals", "fit", _judge, step="normals"))
