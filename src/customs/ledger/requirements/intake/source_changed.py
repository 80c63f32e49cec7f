"""The source on disk is still what was taken in."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    changed = case.about.source_changed
    if changed:
        note = f"{changed} on disk differs from what was taken in. Take it again (right click on it in the list of goods), or leave it as it was."
        yield rule.row("as taken in", "unchanged", "changed", "query", note=note)
    else:
        yield rule.row("as taken in", "unchanged", "as taken in", "cleared")


register(Requirement("source-changed", "Source on disk", "intake", _judge))
