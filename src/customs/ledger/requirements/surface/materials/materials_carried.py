"""The model format has a place for materials, or a person has said that they may stay behind."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if "materials" in case.format.carries:
        return
    before, after = (many(len(f.scene.materials), "material") for f in (case.before, case.after))
    lost = bool(case.after.scene.materials)
    yield rule.row(
        before,
        "none",
        said(after, str(after)),
        "query" if lost else "cleared",
        note=f"{case.format.title} has no place for materials: the shape goes alone." if lost else "",
    )


register(Requirement("materials-carried", "Materials left behind", "surface", _judge))
