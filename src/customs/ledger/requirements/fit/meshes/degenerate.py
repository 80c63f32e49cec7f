"""Faces without area."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import faces_mask, faces_measure, per_mesh
from customs.scene.model import Mesh


def _fix(mesh: Mesh) -> Remedy | None:
    return remedy("drop-broken", "Drop broken faces")


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    note = "Faces without area break normals and collision."
    yield from per_mesh(
        rule, case, faces_measure("degenerate"), "query", _fix, note, mask=faces_mask("degenerate")
    )


register(Requirement("degenerate", "Faces without area", "fit", _judge, step="drop-broken"))
