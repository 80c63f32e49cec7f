"""Skins, where the destination or its format takes none, or asks for one."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import forbidden_row
from customs.scene.tree import animated_nodes, mesh_nodes

MISSING = "The destination moves assets by their skeleton, and this one has none."


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = len(case.before.used_skins), len(case.after.used_skins)
    carried = "skins" in case.format.carries
    fix, note = remedy("static", "Make static") if after else None, "No skins are read there."
    if case.sheet.rig.skins == "required" and not after:
        parts = mesh_nodes(case.delivering)
        moving = bool(animated_nodes(case.delivering) & set(parts))
        # Parts that clips move by themselves are a skeleton in all but name; a still thing is a person's
        # choice.
        fix = remedy("rigid", "Make joints of the parts", sure=moving) if parts else None
    yield from forbidden_row(rule, before, case.sheet.rig.skins, after, note, fix, carried, MISSING)


register(Requirement("skins", "Skins", "motion", _judge, step="static"))
