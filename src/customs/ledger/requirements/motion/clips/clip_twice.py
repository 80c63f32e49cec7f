"""No two clips are the same."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said
from customs.ledger.shapes import elements
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    seen: dict[tuple[object, ...], str] = {}
    bad = []
    for clip in case.delivering.clips:
        print_ = tuple((c.node, c.path, c.times.tobytes(), c.values.tobytes()) for c in clip.channels)
        if print_ in seen:
            bad.append((clip, said(seen[print_], f"as {seen[print_]}")))
        seen.setdefault(print_, clip.name)
    if case.sheet.rig.clips == "forbidden" or len(case.delivering.clips) < 2:
        return
    yield from elements(
        rule,
        bad,
        "clip",
        "each once",
        many(len(case.arrived.clips), "clip"),
        "each once",
        "query",
        "The same movement goes out twice under two names.",
        lambda c: None,
    )


register(Requirement("clip-twice", "Clips alike", "motion", _judge))
