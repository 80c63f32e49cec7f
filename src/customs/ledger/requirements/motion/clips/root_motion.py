"""Clips travel, or stay on the spot, as the destination has it."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.motion.clips.travel import travel_of

SLOW = 0.05
"""Slower than this along the ground counts as on the spot (m/s)."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wanted = case.sheet.rig.root_motion
    if wanted == "allowed" or not case.delivering.clips or case.sheet.rig.clips == "forbidden":
        return
    speeds = {
        c.name: t.speed for c in case.delivering.clips if (t := travel_of(case.delivering, c)) is not None
    }
    moving = [n for n, s in speeds.items() if s > SLOW]
    bad = bool(moving) if wanted == "forbidden" else not moving
    fix = remedy("travel", "Play on the spot", way="drop-drift") if wanted == "forbidden" and bad else None
    note = (
        "The destination moves the asset itself: with travel in the clip it runs twice as fast."
        if fix
        else ""
    )
    yield rule.row(
        f"{len(moving)} travel",
        "on the spot" if wanted == "forbidden" else "travels",
        said(tuple(moving), ", ".join(moving[:3])) if bad and moving else "as asked",
        "held" if bad else "cleared",
        note=note,
        remedy=fix,
    )


register(Requirement("root-motion", "Root motion", "motion", _judge, step="travel"))
