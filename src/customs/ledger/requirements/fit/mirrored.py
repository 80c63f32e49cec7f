"""No node mirrors what it carries."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.row import Case, Place, Requirement, Row, register, remedy
from customs.scene.tree import local_matrix


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = [n for n in case.delivering.nodes if np.linalg.det(local_matrix(n)[:3, :3]) < 0]
    had = sum(np.linalg.det(local_matrix(n)[:3, :3]) < 0 for n in case.arrived.nodes)
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
    if not bad:
        yield rule.row(f"{had}", "0", "0", "cleared")


register(Requirement("mirrored", "Mirrored nodes", "fit", _judge, step="settle"))
