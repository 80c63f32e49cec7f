"""Normals lean to the front of their faces."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive


def _against(prim: Primitive) -> int:
    return facts_of(prim).against


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    def fix(mesh: Mesh) -> Remedy | None:
        return remedy(
            "normals",
            "Make normals new",
            angle=case.sheet.mesh.normal_angle,
            only="all",
            targets=(str(mesh.key),),
        )

    yield from per_mesh(
        rule, case, _against, "query", fix, "Lit from the wrong side: normals point to the back."
    )


register(Requirement("normal-side", "Faces lit from behind", "fit", _judge, step="normals"))
