"""No node keeps a turn or a scale of its own."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.route.leftovers import unsettled
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.model.settled:
        return
    bad, before = unsettled(case.delivering), len(unsettled(case.arrived))
    fix = remedy("settle", "Settle transforms")
    note = "Leftover turn, scale or place on a node is the classic cause of a broken import."
    for n in bad:
        node = case.delivering.nodes[n]
        scale = np.round(node.scale, 4)
        shown = "own matrix" if node.matrix is not None else "scale " + " ".join(f"{s:.3g}" for s in scale)
        has = said(tuple(scale.tolist()), shown)
        yield rule.row(
            has,
            "settled",
            has,
            "held",
            subject=str(node.key),
            subject_name=node.name,
            note=note,
            remedy=fix,
            place=Place(node.key, "node"),
        )
    if not bad:
        yield rule.row(f"{many(before, 'node')} unsettled", "settled", "0 nodes unsettled", "cleared")


register(Requirement("settled", "Node transforms", "fit", _judge, step="settle"))
