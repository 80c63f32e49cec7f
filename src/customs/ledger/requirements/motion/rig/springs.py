"""What swings by itself, where the destination does not know of it."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.scene.model import Collider, Scene


def _count(scene: Scene) -> int:
    return len(scene.springs) + len(scene.held(Collider))


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = _count(case.arrived), _count(case.delivering)
    avatar = any(n.bone for n in case.delivering.nodes)
    if not before or ("springs" in case.format.carries and avatar):
        return
    wanted, text = "none", f"{after} chains and bodies" if after else "none"
    if not after:
        yield rule.row(f"{before} chains and bodies", wanted, wanted, "cleared")
        return
    note = "Hair, cloth and tails that swing would hang stiff there, and their bodies be empty nodes."
    fix = remedy("leave-out", "Leave what swings out", springs=True)
    yield rule.row(f"{before} chains and bodies", wanted, text, "query", note=note, remedy=fix)


register(Requirement("springs", "Swings by itself", "motion", _judge, step="leave-out"))
