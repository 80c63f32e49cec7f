"""No more joints in a skin than the destination takes."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import limit_row


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    limit = case.sheet.rig.max_joints
    fix = remedy("merge-joints", f"Merge down to {limit}", limit=limit or 0)
    before, after = (max((len(s.joints) for s in f.used_skins), default=0) for f in (case.before, case.after))
    yield from limit_row(rule, before, limit, after, "What is over is cut off.", fix)


register(Requirement("joint-limit", "Joints in a skin", "motion", _judge, step="merge-joints"))
