"""Names of a level whose files are missing or may be several: boxes stand in for them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.grounds.kinds import kinds_of
from customs.grounds.rules import STAND_IN
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.scene.kinds import STAND_IN as WHY
from customs.scene.model import Scene
from customs.words import many


def _places(scene: Scene) -> dict[int, int]:
    """How often each mesh that stands in is shown, by mesh."""
    if not any(WHY in m.extras for m in scene.meshes):
        return {}
    found = kinds_of(scene)
    meshes, counts = np.unique(found.things.mesh[found.of(STAND_IN)], return_counts=True)
    return dict(zip(meshes.tolist(), counts.tolist()))


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, now = _places(case.arrived), _places(case.delivering)
    if not before:
        return
    names = many(len(before), "name")
    level = case.sheet.grounds.form != "none"
    for m, count in now.items():
        mesh = case.delivering.meshes[m]
        yield rule.row(
            names, "every name a file", said(count, many(count, "box")), "held" if level else "query",
            subject=str(mesh.key), subject_name=mesh.name, place=Place(mesh.key, "mesh"),
            note=f"{str(mesh.extras[WHY])[:1].upper()}{str(mesh.extras[WHY])[1:]}. Say which file is meant, or leave it out.",
            remedy=remedy("kinds", "Leave stand-ins out", sure=level, left_out=(STAND_IN,)),
        )  # fmt: skip
    if not now:
        yield rule.row(
            names, "every name a file", "left out", "cleared", note="What was left out stands in the docket."
        )


register(Requirement("stand-ins", "Missing names", "grounds", _judge, step="kinds"))
