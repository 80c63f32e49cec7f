"""Someone has said how long a unit is, and an origin does not overrule what the file itself says unseen."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import scene_facts
from customs.ledger.row import Case, Requirement, Row, register, said
from customs.ledger.stated import SAID_BY

SAY_THEMSELVES = ("fbx", "dae")
"""Formats whose files say their unit; glTF fixes metres for all, and many a writer of it does not keep to
that.
"""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    who = case.arrived.convention.stated
    known = who in ("person", "origin", "file")
    unit = case.sheet.axes.unit_name
    note = (
        ""
        if known
        else f"{case.received.format.upper()} states no unit; {_assumed(case)} assumed. Choose an origin, or set the scale on the desk Fit."
    )
    if other := _overruled(case):
        known, note = False, other
    yield rule.row(
        SAID_BY[who],
        said(case.sheet.axes.metres_per_unit, f"1 unit = 1 {unit}"),
        said(round(raw_unit(case), 9), f"1 unit = 1 {unit}"),
        "cleared" if known else "query",
        note=note,
    )


def _assumed(case: Case) -> str:
    metres = case.received.convention.metres_per_unit
    return "metres are" if metres == 1 else f"1 unit = {metres:g} m is"


def raw_unit(case: Case) -> float:
    """Metres one unit of the file was taken for."""
    raw, now = float(scene_facts(case.received).size.max()), float(case.before.size.max())
    return now / raw if raw > 0 else case.received.convention.metres_per_unit


def _overruled(case: Case) -> str:
    """What to say where an origin takes a unit for another length than the file says."""
    own = case.received.convention
    if (
        case.received.format not in SAY_THEMSELVES
        or own.stated != "file"
        or case.arrived.convention.stated != "origin"
    ):
        return ""
    raw, now = float(scene_facts(case.received).size.max()), float(case.before.size.max())
    if raw <= 0 or abs(now / raw / own.metres_per_unit - 1) < 0.01:
        return ""
    return (
        f"The file itself says 1 unit = {own.metres_per_unit:g} m, its origin {now / raw:.4g} m. "
        "Choose another origin, or none; or set the scale on the desk Fit."
    )


register(Requirement("unit-stated", "Unit", "fit", _judge))
