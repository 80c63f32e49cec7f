"""Regions that joined a level: their openings are of one size, and nothing is there twice."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from customs.grounds.openings import EXACT
from customs.ledger.row import Case, Requirement, Row, register, said
from customs.route.route import At


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.grounds.form == "none":
        return
    for at in case.passed:
        if at.stop.step == "regions" and at.stop.on and at.error is None and dict(at.stop.values).get("part"):
            yield from _of(rule, at)


def _of(rule: Requirement, at: At) -> Iterator[Row]:
    name, found = str(dict(at.stop.values).get("name", "")), dict[str, Any]()
    for remark in at.remarks:
        found |= dict(remark.values)
    off, twice = float(found.get("opening_off", 0.0)), int(found.get("overlaps", 0))
    if off > EXACT:
        yield rule.row(
            "", "openings of one size", said(off, f"they differ by {off * 1000:.0f} mm"), "query",
            subject=f"{at.stop.id} opening", subject_name=name,
            note="A gap or a step is left where they meet: choose the openings again, or mend one of them on the desk Fit.",
        )  # fmt: skip
    if twice:
        yield rule.row(
            "", "nothing in both", said(twice, f"{twice:,} faces in both"), "query",
            subject=f"{at.stop.id} overlap", subject_name=name,
            note="They flicker where they lie on each other. Its stop can cut them away.",
        )  # fmt: skip
    if off <= EXACT and not twice:
        yield rule.row(
            "", "joined without gap or overlap", "joined", "cleared", subject=at.stop.id, subject_name=name
        )


register(Requirement("regions", "Regions", "grounds", _judge, step="regions"))
