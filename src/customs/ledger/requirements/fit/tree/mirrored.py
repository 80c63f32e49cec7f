"""No node mirrors what it carries."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.row import Case, Place, Requirement, Row, register, remedy
from customs.scene.model import Scene
from customs.scene.tree import local_matrix
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = [n for n in case.delivering.nodes if np.linalg.det(local_matrix(n)[:3, :3]) < 0]
    had = sum(np.linalg.det(local_matrix(n)[:3, :3]) < 0 for n in case.arrived.nodes)
    turned = mirrored_rows(case.delivering)
    for node in bad:
        yield rule.row(
            "mirrored",
            "none",
            "mirrored",
            "query",
            subject=str(node.key),
            subject_name=node.name,
            place=Place(node.key, "node"),
            note="A negative scale turns faces inside out at many destinations.",
            remedy=remedy("settle", "Settle transforms"),
        )
    if turned:
        yield rule.row(
            "mirrored",
            "none",
            f"{many(turned, 'placement')} mirrored",
            "query",
            subject="placements",
            note="They show a mesh others show too, turned inside out by a negative scale: many destinations draw its faces wrong.",
            remedy=remedy("settle", "Settle transforms"),
        )
    if not bad and not turned:
        yield rule.row(f"{had + mirrored_rows(case.arrived)}", "0", "0", "cleared")


def mirrored_rows(scene: Scene) -> int:
    """How many placements mirror what they show."""
    return int(np.count_nonzero(np.linalg.det(scene.placements.matrices[:, :, :3]) < 0))


register(Requirement("mirrored", "Mirrored nodes", "fit", _judge, step="settle"))
