"""The form: every field that has to be filled in is, and each holds what it may."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said
from customs.sheet.form import FieldRules, problem_of, text_of


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    for field in case.sheet.form:
        value = case.about.form.get(field.id)
        common = {"subject": field.id, "subject_name": field.title}
        if value is None:
            if field.required:
                note = "Fill it in on the desk Fittings, under Form."
                yield rule.row("–", _asked(field), "empty", "held", note=note, **common)
            continue
        problem, shown = problem_of(field, value), text_of(value)[:60]
        note = f"It takes {problem}." if problem else ""
        yield rule.row(
            "–",
            _asked(field),
            said(shown, shown or "empty"),
            "held" if problem else "cleared",
            note=note,
            **common,
        )


def _asked(field: FieldRules) -> str:
    return f"{field.kind}, filled in" if field.required else field.kind


register(Requirement("form", "Form", "fittings", _judge))
