"""The donor side of a case."""

from __future__ import annotations

from customs.ledger.row import Case
from customs.motion.skeleton.skeleton import Skeleton, skeleton_of


def donor_case(case: Case) -> tuple[Skeleton, Skeleton] | None:
    """(delivering skeleton, the donor's), or None where the sheet asks for no donor, there is none, or there
    is no skeleton.
    """
    donor = case.about.donor
    if not case.sheet.rig.donor or donor is None or not case.after.used_skins:
        return None
    return skeleton_of(case.delivering), skeleton_of(donor.scene, (0,))
