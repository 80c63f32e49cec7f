"""No more materials than the destination takes."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import limit_row


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = len(case.before.used_materials), len(case.after.used_materials)
    yield from limit_row(rule, before, case.sheet.materials.max_count, after, "Each material is drawn by itself there.")


register(Requirement("material-count", "Materials", "surface", _judge))
