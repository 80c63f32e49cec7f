"""Double-sided materials, where the destination refuses them."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import forbidden_row


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = (sum(m.double_sided for _, m in f.used_materials) for f in (case.before, case.after))
    note = "Draw the back as faces of its own, or make the material single sided."
    yield from forbidden_row(rule, before, case.sheet.materials.double_sided, after, note, None)


register(Requirement("double-sided", "Double-sided materials", "surface", _judge))
