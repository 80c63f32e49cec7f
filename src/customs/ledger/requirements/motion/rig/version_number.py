"""The file says the version of its kit."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.row import said as told
from customs.scene.numbers import VERSION


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wanted = case.sheet.rig.donor_version
    if wanted is None:
        return
    scene = case.delivering
    roots = [scene.nodes[r].extras.get(VERSION) for r in scene.roots]
    said = next((str(v) for v in roots if v is not None), "none")
    bad = said != str(wanted)
    yield rule.row(
        "–",
        wanted,
        told(said, said),
        "held" if bad else "cleared",
        note="The destination refuses assets of another version." if bad else "",
        remedy=remedy("numbers", f"Write version {wanted}", version_number=wanted)
        if bad and scene.roots
        else None,
    )


register(Requirement("version-number", "Version number", "motion", _judge, step="numbers"))
