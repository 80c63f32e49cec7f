"""Every texture a material names is there."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import elements


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    lost = [(im, "missing") for _, im in case.after.used_images if not im.there]
    before = sum(not im.there for _, im in case.before.used_images)
    note = "A material names it and it is not there: many destinations crash on that. Put it beside the model."
    verdict = case.sheet.textures.missing
    yield from elements(rule, lost, "image", "there", f"{before} missing", "0 missing", verdict, note, lambda im: None)


register(Requirement("texture-missing", "Missing textures", "surface", _judge))
