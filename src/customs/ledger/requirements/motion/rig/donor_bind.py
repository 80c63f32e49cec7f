"""Joints were bound where the donor's were."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.donor import donor_case
from customs.ledger.row import Case, Requirement, Row, register, remedy, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    found = donor_case(case)
    donor = case.about.donor
    if found is None or donor is None or found[0].names != found[1].names:
        return
    mine, theirs = case.after.used_skins[0].inverse_bind, donor.scene.skins[0].inverse_bind
    off = float(abs(mine - theirs).max()) if mine.shape == theirs.shape else float("inf")
    bad = off > 1e-4
    yield rule.row(
        "–",
        "the donor's",
        said(round(off, 6), f"{off:.3g} off") if bad else "the donor's",
        "held" if bad else "cleared",
        note="With other bind matrices the destination's clips bend the mesh out of shape." if bad else "",
        remedy=remedy("donor", "Take over the donor's skeleton", donor=donor.digest) if bad else None,
    )


register(Requirement("donor-bind", "Bind pose of the donor", "motion", _judge, step="donor"))
