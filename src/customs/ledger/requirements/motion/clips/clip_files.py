"""Clips go out in files the way the destination takes them."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    taken = case.sheet.rig.clip_files
    if not case.delivering.clips or case.sheet.rig.clips == "forbidden" or "clips" not in case.format.carries:
        return
    now = case.delivering.wishes.clips or taken[0]
    bad = now not in taken
    words = {
        "together": "one file",
        "each": "a file each",
        "first-with-mesh": "first with mesh",
        "only": "clips alone",
    }
    yield rule.row(
        many(len(case.arrived.clips), "clip"),
        " or ".join(words[t] for t in taken),
        words.get(now, now),
        "held" if bad else "cleared",
        note="The destination looks for clips in other files." if bad else "",
        remedy=remedy("clip-files", f"Deliver as {words[taken[0]]}", how=taken[0]) if bad else None,
    )


register(Requirement("clip-files", "Files of clips", "motion", _judge, step="clip-files"))
