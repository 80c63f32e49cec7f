"""The donor's clips play on the body without tearing it."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.donor import donor_case
from customs.ledger.row import Case, Requirement, Row, register, said
from customs.motion.posing.stretch import stretch

MOST = 1.5
"""Most an edge may grow at the 99.9th percentile over a clip (ratio)."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    found = donor_case(case)
    donor = case.about.donor
    if found is None or donor is None or found[0].names != found[1].names:
        return
    for clip in donor.scene.clips:
        worst = stretch(case.delivering, donor.scene, clip)
        bad = worst > MOST
        yield rule.row(
            "–",
            said(MOST, f"≤ × {MOST:g}"),
            said(round(worst, 3), f"× {worst:.2f}"),
            "query" if bad else "cleared",
            subject=clip.name,
            subject_name=clip.name,
            note="Edges are drawn out over this at the worst thousandth: soften weights, or paint them."
            if bad
            else "",
        )


register(Requirement("donor-stretch", "Stretch under the donor's clips", "motion", _judge))
