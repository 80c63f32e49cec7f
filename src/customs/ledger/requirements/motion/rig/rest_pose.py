"""A humanoid rests with its arms level (T-pose)."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.row import Case, Requirement, Row, register, said
from customs.scene.tree import world_matrices


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    scene = case.delivering
    at = {n.bone: i for i, n in enumerate(scene.nodes) if n.bone}
    pairs = [(f"{s}UpperArm", f"{s}Hand") for s in ("left", "right")]
    if case.sheet.rig.humanoid != "required" or not all(a in at and b in at for a, b in pairs):
        return
    world = world_matrices(scene)
    ways = [world[at[b]][:3, 3] - world[at[a]][:3, 3] for a, b in pairs]
    worst = max(
        abs(float(np.degrees(np.arcsin(np.clip(w[1] / max(float(np.linalg.norm(w)), 1e-9), -1, 1)))))
        for w in ways
    )
    bad = worst > 15
    yield rule.row(
        "–",
        "arms level",
        said(round(worst), f"{worst:.0f}° off level"),
        "query" if bad else "cleared",
        note="Humanoid clips count turns from a T-pose: align to a donor in T-pose, or accept."
        if bad
        else "",
    )


register(Requirement("rest-pose", "Rest pose", "motion", _judge))
