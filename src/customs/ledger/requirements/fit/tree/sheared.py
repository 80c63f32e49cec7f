"""No node is sheared: translation, turn and scale cannot say that."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.changes.emptying import leading_nodes
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy
from customs.scene.folding import row_parts
from customs.words import many

MOVED = (
    "The node's matrix holds shear, and joints or clips move it or what is below it: the shear would go on to them. "
    "Apply the uneven scale above it where the asset was made."
)


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = [i for i, n in enumerate(case.delivering.nodes) if n.matrix is not None]
    had = sum(n.matrix is not None for n in case.arrived.nodes)
    led = leading_nodes(case.delivering)
    rows = int(np.count_nonzero(row_parts(case.delivering.placements)[3]))
    for n in bad:
        node = case.delivering.nodes[n]
        yield rule.row(
            "sheared",
            "none",
            "sheared",
            "held",
            subject=str(node.key),
            subject_name=node.name,
            place=Place(node.key, "node"),
            note=MOVED if n in led else "The node's matrix holds shear, which most destinations drop.",
            remedy=None if n in led else remedy("settle", "Settle transforms"),
        )
    if rows:
        yield rule.row(
            "sheared",
            "none",
            f"{many(rows, 'placement')} sheared",
            "held",
            subject="placements",
            note="Their matrices hold shear, which most destinations drop. Apply the uneven scale above them where they were made.",
        )
    if not bad and not rows:
        yield rule.row(f"{had}", "0", "0", "cleared")


register(Requirement("sheared", "Sheared nodes", "fit", _judge, step="settle"))
