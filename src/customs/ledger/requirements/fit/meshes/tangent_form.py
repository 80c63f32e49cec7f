"""Tangents are one long, with a w of 1 or −1."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.materials import tangent_set
from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive


def _bad(prim: Primitive) -> int:
    return facts_of(prim).bad_tangents


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    mapped = {i for i, m in enumerate(case.delivering.materials) if tangent_set(m) is not None}

    def fix(mesh: Mesh) -> Remedy | None:
        if any(p.material in mapped for p in mesh.primitives):
            return remedy("tangents", "Make tangents")
        return remedy("tangents", "Drop tangents", where="drop")

    if case.sheet.mesh.tangents != "forbidden":
        yield from per_mesh(rule, case, _bad, "held", fix, "Normal maps break at such tangents.")


register(Requirement("tangent-form", "Tangents malformed", "fit", _judge, step="tangents"))
