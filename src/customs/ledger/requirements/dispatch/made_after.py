"""What the asset is made after is there in the kit."""

from __future__ import annotations

from collections.abc import Iterator
from difflib import get_close_matches

from customs.ledger.row import Case, Requirement, Row, register, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    kit = case.about.kit
    for field in case.sheet.form:
        value = case.about.form.get(field.id)
        if field.kind != "existing" or kit is None or not isinstance(value, str) or not value:
            continue
        there = kit.existing.get(field.id, ())
        problem, near = kit.problems.get(field.id, ""), get_close_matches(value, there, 1, 0.0)
        good = value in there
        note = (
            ""
            if good
            else problem
            or (f"The kit has none of that name; {near[0]} is nearest." if near else "The kit has none.")
        )
        yield rule.row(
            f"{len(there)} there",
            "one that is there",
            said(value, value),
            "cleared" if good else "held",
            subject=field.id,
            subject_name=field.title,
            note=note,
        )


register(Requirement("made-after", "Made after", "dispatch", _judge))
