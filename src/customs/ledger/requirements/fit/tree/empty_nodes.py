"""Nodes that hold nothing."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.emptying import count_empty
from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import forbidden_row


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    note = "Nodes without mesh, light or camera are refused there."
    before, after = count_empty(case.arrived), count_empty(case.delivering)
    wanted = case.sheet.model.empty_nodes
    yield from forbidden_row(rule, before, wanted, after, note, remedy("drop-empties", "Drop empty nodes"))


register(Requirement("empty-nodes", "Empty nodes", "fit", _judge, step="drop-empties"))
