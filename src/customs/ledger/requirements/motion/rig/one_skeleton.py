"""One skeleton, and nothing of another."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.motion.rig.leftovers import moving_skeletons, skeletons


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.rig.one_skeleton or not case.after.used_skins:
        return
    before, after = (len(skeletons(s).tops) for s in (case.arrived, case.delivering))
    bad = after > 1
    yield rule.row(
        before,
        1,
        after,
        "held" if bad else "cleared",
        note="A second skeleton left in the file is taken for the asset's, or stands about unmoved."
        if bad
        else "",
        remedy=_fix(case) if bad else None,
    )


def _fix(case: Case) -> Remedy | None:
    """Skeletons that all move something are put under one joint; otherwise the one that moves most stays
    alone.
    """
    if moving_skeletons(case.delivering) > 1:
        return remedy("common-root", "Put one joint over them", whole=True)
    return remedy("leftovers", "Keep the one in use", skeletons=True)


register(Requirement("one-skeleton", "Skeletons", "motion", _judge, step="leftovers"))
