"""Points and lines that belong to no face."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive


def _loose(prim: Primitive) -> int:
    return int(prim.mode in ("points", "lines", "line_loop", "line_strip"))


def _fix(mesh: Mesh) -> Remedy | None:
    return remedy("triangulate", "Drop points and lines", drop_loose=True)


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.mesh.loose_points_lines == "forbidden":
        yield from per_mesh(rule, case, _loose, "held", _fix, "Points and lines are not drawn there.")


register(Requirement("loose", "Points and lines", "fit", _judge, step="triangulate"))
