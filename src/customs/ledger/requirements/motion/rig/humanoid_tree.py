"""Mapped bones hang under each other as the VRM list has it."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said
from customs.motion.skeleton.humanoid import above_of
from customs.scene.tree import parents


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    scene = case.delivering
    at = {n.bone: i for i, n in enumerate(scene.nodes) if n.bone}
    if case.sheet.rig.humanoid != "required" or not at:
        return
    above = parents(scene)

    def under(n: int, other: int) -> bool:
        while n >= 0:
            n = above[n]
            if n == other:
                return True
        return False

    bad = [b for b, n in at.items() if (up := above_of(b, at)) and not under(n, at[up])]
    yield rule.row(
        f"{len(at)} bones",
        "the standard's",
        said(tuple(bad), f"{', '.join(bad[:3])} elsewhere") if bad else "the standard's",
        "held" if bad else "cleared",
        note="A bone that does not hang under the one above it turns with the wrong part: correct the map in Motion."
        if bad
        else "",
    )


register(Requirement("humanoid-tree", "Order of bones", "motion", _judge))
