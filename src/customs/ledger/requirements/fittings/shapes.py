"""Collision shapes: one row for each purpose the sheet asks for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from customs.changes.shape_fit import WITHIN, fits_of
from customs.changes.shapes import shapes_of
from customs.ledger.row import Case, Requirement, Row, Verdict, register, remedy, said

NAMES = {"hits": "Hits", "picking": "Picking", "around": "Around all", "walking": "Walking on"}
FIRST = {"hits": "hull", "picking": "capsule", "around": "sphere", "walking": "box"}
"""The kind a purpose is given first: near for what is hit, plain for what is only asked about (common practice)."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules, here = case.sheet.shapes, {s.purpose for _, s in shapes_of(case.delivering)}
    yield from _not_taken(rule, here - set(rules.taken))
    for purpose in rules.taken:
        if purpose in rules.optional and purpose not in here:
            continue
        kinds = rules.kinds.get(purpose, ())
        first = FIRST[purpose] if not kinds or FIRST[purpose] in kinds else kinds[0]
        values: dict[str, Any] = {purpose: first}
        if first == "hull":
            values["corners"] = min(rules.corners, 32)
        stops = [dict(at.stop.values) for at in case.passed if at.stop.step == "shapes"]
        # A plan makes one where nobody has said which; what a person chose is changed by a person.
        said_so = any(purpose in stop for stop in stops)
        if said_so:
            values |= {
                "by": "whole",
                "out": 0.0,
                "edits": tuple(e for e in stops[-1].get("edits", ()) if e[0] != purpose),
            }
        fix = remedy("shapes", f"Make a {first}", not said_so, **values)
        covers = rules.covers.get(purpose, 0.0)
        asked = f"{' or '.join(kinds) or 'any shape'}" + (f", covers {covers:.0%}" if covers else "")
        fit = fits_of(case.delivering).get(purpose)
        common = {"subject": purpose, "subject_name": NAMES[purpose]}
        if fit is None:
            has = bool(case.after.used_meshes)
            yield rule.row(
                "–", asked, "none", "held" if has else "query", remedy=fix if has else None, **common
            )
            continue
        mine = [s for _, s in shapes_of(case.delivering) if s.purpose == purpose]
        shown = _shown(sorted({s.kind for s in mine}), fit.count, fit.out, fit.farthest)
        wrong = [s.kind for s in mine if kinds and s.kind not in kinds]
        verdict: Verdict = "cleared"
        note = "" if fit.air is None else f"{fit.air:.0%} of its room holds nothing."
        if wrong:
            verdict, note = "held", f"A {wrong[0]} is not taken for this."
        elif fit.count > rules.most:
            verdict, note = "held", f"At most {rules.most:,} shapes for a purpose."
        elif fit.corners > rules.corners:
            verdict, note = "held", f"At most {rules.corners:,} corners, one has {fit.corners:,}."
        elif 1 - fit.out < covers - 1e-9 and fit.farthest > WITHIN:
            verdict, note = "held", "What sticks out is not hit; the shape is too small or stands elsewhere."
        yield rule.row(
            "–", asked, said((fit.count, round(fit.out, 4), round(fit.farthest, 4)), shown), verdict,
            note=note, remedy=fix if verdict != "cleared" else None, badness=fit.out, **common,
        )  # fmt: skip


def _not_taken(rule: Requirement, purposes: set[str]) -> Iterator[Row]:
    """Shapes are not lost without a word."""
    for purpose in sorted(purposes):
        fix = remedy("shapes", "Leave it out", False, **{purpose: ""})
        yield rule.row(
            "–", "none", "made", "query", subject=purpose, subject_name=NAMES[purpose], remedy=fix,
            note="This destination has no shape for it: it is not delivered.",
        )  # fmt: skip


def _shown(kinds: list[str], count: int, out: float, farthest: float) -> str:
    what = " and ".join(kinds) if count == 1 else f"{count} × {' and '.join(kinds)}"
    return f"{what}, {out:.1%} out, {farthest * 1000:,.3g} mm" if out else f"{what}, covers all"


register(Requirement("shapes", "Collision shapes", "fittings", _judge, step="shapes"))
