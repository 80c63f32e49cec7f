"""All joints of a skin hang under one joint or node."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.route.steps.motion.rig.common_root import joint_roots
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    scene = case.delivering
    if not case.after.used_skins:
        return
    worst = max(len(joint_roots(scene, k)) for k, s in enumerate(scene.skins) if s in case.after.used_skins)
    bad = worst > 1
    yield rule.row(
        many(len(case.before.used_skins), "skin"),
        "one root",
        said(worst, many(worst, "root")) if bad else "one root",
        "held" if bad else "cleared",
        note="glTF 2.0 asks for a common root of a skin's joints (5.28, skins); loaders look for it."
        if bad
        else "",
        remedy=remedy("common-root", "Put one node over them") if bad else None,
    )


register(Requirement("joint-root", "Root of the skeleton", "motion", _judge, step="common-root"))
