"""Clips the sheet plays round end as they begin."""

from __future__ import annotations

import fnmatch
from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.motion.clips.loop import seam
from customs.motion.posing.spots import reach
from customs.words import many

SEAM = 0.002
"""How far a loop may be from closed, as a share of the asset's size (ratio)."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    patterns = case.sheet.rig.loops
    mine = [c for c in case.delivering.clips if any(fnmatch.fnmatchcase(c.name, p) for p in patterns)]
    if not mine or case.sheet.rig.clips == "forbidden":
        return
    size = reach(case.delivering)
    bad = [
        (c, said(round(off, 6), f"{off * 1000:.1f} mm"))
        for c in mine
        if (off := seam(case.delivering, c, travel=False)) > SEAM * size
    ]
    yield from elements(
        rule,
        bad,
        "clip",
        said(round(SEAM * size, 6), f"≤ {SEAM * size * 1000:.1f} mm"),
        many(len(mine), "loop"),
        "closed",
        "query",
        "The end is not the beginning: it jumps each time it plays round.",
        lambda c: remedy("loop", "Close the seam", targets=(str(c.key),)),
    )


register(Requirement("clip-loop", "Seams of loops", "motion", _judge, step="loop"))
