"""The form of a package: every field the destination wants, as the docket says it."""

from __future__ import annotations

from typing import Any

from customs.landing.log import Log
from customs.sheet.form import problem_of
from customs.sheet.model import Sheet
from customs.words import many


def check_form(sheet: Sheet, body: dict[str, Any], log: Log) -> None:
    """What has to be filled in is, and holds what it may; nothing else is there."""
    if not sheet.form:
        return
    # A form of which nothing has to be filled in may be left as it is.
    told = body.get("form", None if any(f.required for f in sheet.form) else {})
    if not isinstance(told, dict):
        log.refuse("docket.json", "has no form")
        return
    for field in sheet.form:
        value = told.get(field.id)
        if value is None:
            log.check(not field.required, "docket.json", f"the field {field.title} of the form is empty")
        elif problem := problem_of(field, value):
            log.refuse("docket.json", f"the field {field.title} of the form takes {problem}")
    strange = sorted(set(told) - {f.id for f in sheet.form})
    log.check(not strange, "docket.json", f"the form has fields that are not asked: {', '.join(strange[:3])}")
    log.note("reads", "docket.json", f"form, {many(len(told), 'field')}")
