"""At rest the mesh stands as it was bound."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.motion.posing.pose import joint_matrices
from customs.scene.tree import world_matrices


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    scene = case.delivering
    if not case.after.used_skins:
        return
    world = world_matrices(scene)
    worst = 0.0
    for i, skin in enumerate(scene.skins):
        if skin in case.after.used_skins:
            joined = joint_matrices(scene, i, world)
            worst = max(worst, float(np.abs(joined - joined[0]).max()))
    off = worst > 1e-3
    note = (
        "A skin delivered off its bind pose is broken at destinations that take the rest pose for it."
        if off
        else ""
    )
    yield rule.row(
        f"{worst:.2g}",
        "at bind pose",
        said(round(worst, 6), f"{worst:.2g} off") if off else "at bind pose",
        ("held" if case.sheet.rig.bind_pose == "required" else "query") if off else "cleared",
        note=note,
        remedy=remedy("bind-pose", "Restore the bind pose") if off else None,
    )


register(Requirement("bind-pose", "Bind pose", "motion", _judge, step="bind-pose"))
