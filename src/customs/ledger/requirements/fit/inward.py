"""Faces that look inward."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import faces_mask, faces_measure, per_mesh
from customs.scene.model import Mesh


def _fix(mesh: Mesh) -> Remedy:
    return remedy("turn-outward", "Turn outward")


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    note = "Seen from outside these faces are not there."
    yield from per_mesh(rule, case, faces_measure("inward"), "query", _fix, note, mask=faces_mask("inward"),
                        but=lambda facts: facts.hulls, but_note="An outline's faces look inward on purpose.")  # fmt: skip


register(Requirement("inward", "Faces turned inward", "fit", _judge, step="turn-outward"))
