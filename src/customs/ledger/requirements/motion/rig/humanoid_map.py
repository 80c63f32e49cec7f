"""Every bone a person needs has a joint, by the VRM list."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.motion.skeleton.humanoid import REQUIRED, propose_humanoid
from customs.motion.skeleton.skeleton import skeleton_of

MAPPED = "Clips of a humanoid are played through this map; without the bone the part stands still."


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.rig.humanoid != "required":
        return
    scene = case.delivering
    said = {n.bone for n in scene.nodes if n.bone}
    before = sum(bool(n.bone) for n in case.arrived.nodes)
    missing = [b for b in REQUIRED if b not in said]
    if not missing:
        yield rule.row(f"{before} bones", f"{len(REQUIRED)} needed", f"{len(said)} bones", "cleared")
        return
    can = propose_humanoid(skeleton_of(scene)).joints if scene.skins else {}
    for bone in missing:
        fix = remedy("humanoid", "Map the skeleton") if bone in can else None
        yield rule.row(
            f"{before} bones",
            "a joint",
            "none",
            "held",
            subject=bone,
            subject_name=bone,
            note=MAPPED
            if fix
            else "No joint looks like it: choose one in Motion, or add it where the body was rigged.",
            remedy=fix,
        )


register(Requirement("humanoid-map", "Humanoid map", "motion", _judge, step="humanoid"))
