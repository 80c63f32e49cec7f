"""A glTF in other axes than its standard fixes is a thing to know."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.format.fixed:
        return
    own, usual = case.sheet.axes.convention("down"), case.format.convention
    same = (own.up, own.faces, own.hand, own.metres_per_unit) == (
        usual.up,
        usual.faces,
        usual.hand,
        usual.metres_per_unit,
    )
    note = (
        ""
        if same
        else f"{case.format.title} fixes other axes or unit. The sheet says: {case.sheet.model.own_axes_note}"
    )
    yield rule.row(
        usual.axes_text(),
        said(usual.axes_text(), usual.axes_text()),
        said(own.axes_text(), own.axes_text()),
        "cleared" if same else "query",
        note=note,
    )


register(Requirement("format-axes", "Axes of the format", "fit", _judge))
