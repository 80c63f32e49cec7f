"""Faces are triangle lists: no polygons, strips or fans."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive


def _other(prim: Primitive) -> int:
    return int(prim.mode in ("polygons", "triangle_strip", "triangle_fan"))


def _fix(mesh: Mesh) -> Remedy | None:
    return remedy("triangulate", "Make triangle lists")


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.mesh.triangle_lists:
        yield from per_mesh(
            rule, case, _other, "held", _fix, "Parts with polygons, strips or fans are refused there."
        )


register(Requirement("triangle-lists", "Parts not in triangles", "fit", _judge, step="triangulate"))
