"""Terrain looks up."""

from __future__ import annotations

from collections.abc import Iterator

from customs.grounds.ground import turned_down
from customs.grounds.kinds import kinds_of
from customs.grounds.rules import TERRAIN
from customs.ledger.grounds import asked
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not asked(case) or not kinds_of(case.arrived).of(TERRAIN).any():
        return
    before, now = turned_down(case.arrived), turned_down(case.delivering)
    received = f"{len(before)} inside out" if before else "up"
    for k in now:
        mesh = case.delivering.meshes[k]
        yield rule.row(
            received, "looks up", said("down", "looks down"), "held",
            subject=str(mesh.key), subject_name=mesh.name, place=Place(mesh.key, "mesh"),
            note="Seen from above it is not there.",
            remedy=remedy("terrain", "Turn it to look up", targets=(str(mesh.key),)),
        )  # fmt: skip
    if not now:
        yield rule.row(received, "looks up", "up", "cleared")


register(Requirement("terrain-up", "Terrain", "grounds", _judge, step="terrain"))
