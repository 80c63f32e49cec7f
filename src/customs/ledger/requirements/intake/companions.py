"""Files the asset leans on are there."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    lost = [a for a in case.about.absent if a.lower().endswith(".mtl")]
    if not lost:
        yield rule.row("all there", "all there", "all there", "cleared")
    for name in lost:
        note = f"{name} is not beside the model: its materials are grey. Put it there and take the asset in again."
        yield rule.row("missing", "there", "missing", "query", subject=name, subject_name=name, note=note)


register(Requirement("companions", "Files it leans on", "intake", _judge))
