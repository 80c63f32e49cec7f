"""Animated values of materials, cameras and lights go only where they are read."""

from __future__ import annotations

from collections.abc import Iterator

from customs.formats.gltf.read_motion import POINTER
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    allowed = case.sheet.model.extensions
    read = "layers" in case.format.carries and (allowed is None or POINTER in allowed)
    bad = [
        (clip, said(len(clip.pointers), many(len(clip.pointers), "animated value")))
        for clip in case.delivering.clips
        if clip.pointers and not read
    ]
    had = sum(len(clip.pointers) for clip in case.arrived.clips)
    if not had and not bad:
        return
    note = "Not read there. A clip that moves no node besides has nothing left to play."
    fix = remedy("leave-out", "Leave animated values out", values=True)
    wanted = said("read", "none" if not read else "read there")
    yield from elements(
        rule, bad, "clip", wanted, many(had, "animated value"), wanted, "query", note, lambda _: fix
    )


register(Requirement("clip-values", "Animated values", "motion", _judge, step="leave-out"))
