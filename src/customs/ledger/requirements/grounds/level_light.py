"""A level has light."""

from __future__ import annotations

from collections.abc import Iterator

from customs.grounds.light import lit_scene
from customs.ledger.grounds import asked
from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.grounds
    if not asked(case) or rules.light != "required":
        return
    before, now = len(case.arrived.lights), len(case.delivering.lights)
    received = many(before, "light") if before else "none"
    if lit_scene(case.delivering):
        yield rule.row(received, "at least one", many(now, "light"), "cleared")
        return
    yield rule.row(
        received, "at least one", "none", "held",
        note="It would be black there: a sun, a fill from the other side and a sky can be set.",
        remedy=remedy("rig", "Set sun, fill and sky"),
    )  # fmt: skip


register(Requirement("level-light", "Light", "grounds", _judge, step="rig"))
