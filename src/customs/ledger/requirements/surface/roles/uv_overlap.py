"""Faces that share their part of the texture, where the destination writes light into it."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import faces_mask, faces_measure, per_mesh


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.textures.overlap == "forbidden":
        note = (
            "Light or paint of one face would show on the other. Unwrapping anew leaves the textures behind."
        )
        yield from per_mesh(
            rule,
            case,
            faces_measure("uv_overlap"),
            "held",
            lambda mesh: remedy(
                "unwrap", "Unwrap anew", sure=False, only_missing=False, targets=(str(mesh.key),)
            ),
            note,
            mask=faces_mask("uv_overlap"),
        )


register(Requirement("uv-overlap", "Overlapping UVs", "surface", _judge, step="unwrap"))
