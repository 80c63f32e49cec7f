"""Materials are of a kind the destination has."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import elements


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    allowed = case.sheet.materials.models
    bad = [(m, m.model.replace("_", "-")) for _, m in case.after.used_materials if m.model not in allowed]
    words = ", ".join(a.replace("_", "-") for a in allowed)
    had = ", ".join(sorted({m.model.replace("_", "-") for _, m in case.before.used_materials})) or "none"
    note = "Kept as it is, and drawn differently or plain there."
    yield from elements(rule, bad, "material", words, had, words, "query", note, lambda m: None)


register(Requirement("material-model", "Kind of material", "surface", _judge))
