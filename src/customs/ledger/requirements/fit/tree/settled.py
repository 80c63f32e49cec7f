"""No node keeps a turn or a scale of its own."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.changes.rows import bare_off
from customs.changes.unsettled import unsettled
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.scene.model import Scene
from customs.tolerances import IDENTITY
from customs.words import many

COPIES = "Files of this format say a mesh once for every place it stands in: each gets a copy of it."

LEADS = "They show nothing and only lead to others: what they keep of a turn or scale goes into those."


def off_rows(scene: Scene) -> int:
    """How many placements keep a transform of their own."""
    off = np.abs(scene.placements.matrices - np.eye(4)[:3]).max(axis=(1, 2), initial=0.0)
    return int(np.count_nonzero(off > IDENTITY))


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.model.settled:
        return
    bad, before = unsettled(case.delivering), len(unsettled(case.arrived))
    # Where files can say that a mesh stands in many places, each place is meant, and nothing is left over.
    many_places = "placements" in case.format.carries
    bare = int(np.count_nonzero(bare_off(case.delivering.placements)))
    rows = 0 if many_places else off_rows(case.delivering)
    fix = (
        remedy("settle", "Settle transforms")
        if many_places
        else remedy("settle", "Settle transforms", placements="copied")
    )
    if rows:
        has = said(rows, f"{many(rows, 'placement')} unsettled")
        yield rule.row(has, "settled", has, "held", subject="placements", note=COPIES, remedy=fix)
    elif bare:
        has = said(bare, f"{many(bare, 'placement')} unsettled")
        yield rule.row(has, "settled", has, "held", subject="placements", note=LEADS, remedy=fix)
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
    if not bad and not rows and not bare:
        yield rule.row(f"{many(before, 'node')} unsettled", "settled", "0 nodes unsettled", "cleared")


register(Requirement("settled", "Node transforms", "fit", _judge, step="settle"))
