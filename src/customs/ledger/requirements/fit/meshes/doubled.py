"""Faces that lie on one another."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import faces_mask, faces_measure, per_mesh
from customs.scene.model import Mesh


def _fix(mesh: Mesh) -> Remedy | None:
    return remedy("drop-broken", "Drop doubled faces")


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    note = "Doubled faces flicker. Use a double-sided material instead."
    yield from per_mesh(rule, case, faces_measure("doubled"), "query", _fix, note, mask=faces_mask("doubled"))


register(Requirement("doubled", "Doubled faces", "fit", _judge, step="drop-broken"))
