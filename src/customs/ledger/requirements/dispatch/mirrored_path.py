"""The folders of the source that the kit mirrors are known."""

from __future__ import annotations

from collections.abc import Iterator

from customs.files import why_no_part
from customs.ledger.row import Case, Requirement, Row, register
from customs.sheet.known import MIRROR, mirrored


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    named = case.sheet.kit.mirror_from
    if not named:
        return
    asked, path = f"folders below {named}", mirrored(case.sheet, case.about.form, case.about.source)
    if path is None:
        field = next((f.title for f in case.sheet.form if f.id == MIRROR), "")
        say = (
            f" Say it in the form, under {field}."
            if field
            else " Take it from a folder below one of that name."
        )
        note = f"No folder above its source is called {named}.{say}"
        yield rule.row("–", asked, "not known", "held", note=note)
    elif why := next((f"“{p}” {w}" for p in path.split("/") if p and (w := why_no_part(p))), ""):
        yield rule.row(path, asked, path, "held", note=f"{why}. Say another path in the form.")
    else:
        yield rule.row(path or "none", asked, path or "none", "cleared")


register(Requirement("mirrored-path", "Mirrored folders", "dispatch", _judge))
