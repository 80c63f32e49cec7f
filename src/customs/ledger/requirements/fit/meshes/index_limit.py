"""Vertices one index can reach: those of one part."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import limit_row, shown


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before = max((len(p.positions) for m in shown(case.before) for p in m.primitives), default=0)
    after = max((len(p.positions) for m in shown(case.after) for p in m.primitives), default=0)
    limit = case.sheet.mesh.max_primitive_vertices or 2**32 - 2
    yield from limit_row(rule, before, limit, after, "Split by material, or deliver a coarser mesh.")


register(Requirement("index-limit", "Vertices in a part", "fit", _judge))
