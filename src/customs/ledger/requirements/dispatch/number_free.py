"""Numbers of the form are nobody else's in the kit."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.kit_facts import free_number
from customs.ledger.row import Case, Requirement, Row, register, said
from customs.sheet.form import FieldRules
from customs.sheet.known import written_number


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    for field in case.sheet.form:
        value = case.about.form.get(field.id)
        if field.kind == "id" and field.taken and isinstance(value, int):
            yield _row(rule, case, field, value)


def _row(rule: Requirement, case: Case, field: FieldRules, value: int) -> Row:
    common = {"subject": field.id, "subject_name": field.title}
    kit = case.about.kit
    if kit is None:
        note = "No kit folder is chosen: nobody has looked whether the number is taken there."
        return rule.row("–", "free", said(value, str(value)), "query", note=note, **common)
    if problem := kit.problems.get(field.id, ""):
        note = f"Taken numbers cannot be read: {problem}"
        return rule.row("–", "free", said(value, str(value)), "held", note=note, **common)
    taken, written = kit.taken.get(field.id, frozenset()), written_number(case.sheet, field, case.about.form)
    if not written or int(written) not in taken:
        return rule.row(
            f"{len(taken)} taken", "free", said(value, written or str(value)), "cleared", **common
        )
    free = free_number(case.sheet, field, case.about.form, taken)
    note = (
        f"The kit has it already; {free} is free." if free is not None else "The kit has all of them already."
    )
    return rule.row(
        f"{len(taken)} taken", "free", said(value, f"{written}, taken"), "held", note=note, **common
    )


register(Requirement("number-free", "Number", "dispatch", _judge))
