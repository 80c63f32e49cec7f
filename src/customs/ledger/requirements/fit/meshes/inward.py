"""Faces that look inward."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import faces_mask, faces_measure, per_mesh
from customs.scene.model import Mesh
from customs.voxels.shown import voxels_in


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if voxels_in(case.delivering) is not None:
        return  # Sides of cells look away from their cells.
    # An outline that was joined into the mesh is turned inside out on purpose.
    sure = not case.before.hulls

    def fix(mesh: Mesh) -> Remedy | None:
        return remedy("turn-outward", "Turn outward", sure=sure)

    note = "Seen from outside these faces are not there."
    yield from per_mesh(
        rule,
        case,
        faces_measure("inward"),
        "query",
        fix,
        note,
        mask=faces_mask("inward"),
        but=lambda facts: facts.hulls,
        but_note="An outline's faces look inward on purpose.",
    )


register(Requirement("inward", "Faces turned inward", "fit", _judge, step="turn-outward"))
