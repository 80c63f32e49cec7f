"""Clips, where the destination or its format takes none."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import forbidden_row

MISSING = "Take in a file that has clips, or put the body on a donor's skeleton with the donor's clips."


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = len(case.arrived.clips), len(case.delivering.clips)
    carried = "clips" in case.format.carries
    drop = (
        "skins-and-clips"
        if case.sheet.rig.skins == "forbidden" or "skins" not in case.format.carries
        else "clips"
    )
    fix = remedy("static", "Drop clips", drop=drop) if after else None
    yield from forbidden_row(
        rule, before, case.sheet.rig.clips, after, "No clips are read there.", fix, carried, MISSING
    )


register(Requirement("clips", "Clips", "motion", _judge, step="static"))
