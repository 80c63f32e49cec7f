"""Names follow the pattern of the sheet."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.names import by_pattern, name_fix
from customs.ledger.row import Case, Requirement, Row, register, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wrong, before = by_pattern(case.delivering, case.sheet), by_pattern(case.arrived, case.sheet)
    if wrong:
        old, new = wrong[0]
        more = f" and {len(wrong) - 1} more" if len(wrong) > 1 else ""
        yield rule.row(
            f"{len(before)} to rename",
            "by pattern",
            said(len(wrong), f"{len(wrong)} to rename"),
            "held",
            note=f"{old} should be {new}{more}.",
            remedy=name_fix(case.sheet),
        )
    else:
        yield rule.row(f"{len(before)} to rename", "by pattern", "by pattern", "cleared")


register(Requirement("names-pattern", "Name pattern", "dispatch", _judge, step="rename"))
