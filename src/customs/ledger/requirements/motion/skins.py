"""Skins, where the destination or its format takes none."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import forbidden_row


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = len(case.before.used_skins), len(case.after.used_skins)
    carried = "skins" in case.format.carries
    fix = remedy("static", "Make static") if after else None
    yield from forbidden_row(rule, before, case.sheet.rig.skins, after, "No skins are read there.", fix, carried)


register(Requirement("skins", "Skins", "motion", _judge, step="static"))
