"""Clips move joints of the skeleton, where there is one."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said
from customs.ledger.shapes import elements
from customs.motion.skeleton.bones import above_joints
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    scene = case.delivering
    if not scene.skins or not scene.clips or case.sheet.rig.clips == "forbidden":
        return
    fine = above_joints(scene)
    bad = []
    for number, clip in enumerate(scene.clips):
        others = sorted(
            {scene.nodes[c.node].name for c in clip.channels if c.path != "weights" and c.node not in fine}
        )
        if _without_mesh(case, number):
            others += sorted(
                {f"morph weights of {scene.nodes[c.node].name}" for c in clip.channels if c.path == "weights"}
            )
        if others:
            bad.append((clip, said(tuple(others), ", ".join(others[:3]))))
    yield from elements(
        rule,
        bad,
        "clip",
        "joints",
        many(len(case.arrived.clips), "clip"),
        "joints",
        "query",
        "Movement of other nodes is left out by destinations that play clips on a skeleton; files without a mesh have no morphs.",
        lambda c: None,
    )


def _without_mesh(case: Case, number: int) -> bool:
    """True for a clip that goes out in a file of skeleton and clip alone."""
    rig = case.sheet.rig
    how = case.delivering.wishes.clips or rig.clip_files[0]
    return rig.files == "split" or how == "only" or (how == "first-with-mesh" and number > 0)


register(Requirement("clip-targets", "What clips move", "motion", _judge))
