"""Clips last some time, and no longer than the sheet allows."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said
from customs.ledger.shapes import elements


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.rig.clips == "forbidden" or not case.delivering.clips:
        return
    most = case.sheet.rig.max_clip_seconds
    bad = [
        (c, said(round(c.seconds, 4), f"{c.seconds:.2f} s"))
        for c in case.delivering.clips
        if c.seconds <= 0 or (most is not None and c.seconds > most)
    ]
    longest = max(c.seconds for c in case.delivering.clips)
    required = said(most, f"0–{most:g} s") if most else "over zero"
    note = "A clip without length cannot be played, an overlong one is cut."
    yield from elements(
        rule, bad, "clip", required, f"{longest:.2f} s", f"{longest:.2f} s", "query", note, lambda c: None
    )


register(Requirement("clip-length", "Length of clips", "motion", _judge))
