"""Things too small for a level."""

from __future__ import annotations

from collections.abc import Iterator

from customs.grounds.kinds import kinds_of
from customs.grounds.small import smaller
from customs.ledger.grounds import asked
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    least = case.sheet.grounds.smallest
    if not asked(case) or not least:
        return
    before, now = (int(smaller(kinds_of(s), least).sum()) for s in (case.arrived, case.delivering))
    yield rule.row(
        many(before, "thing"), f"none under {least:g} m", said(now, many(now, "thing") if now else "none"),
        "query" if now else "cleared",
        note="Nobody sees them in a level, and each is drawn." if now else "",
        remedy=remedy("small", f"Leave out what is under {least:g} m", least=least) if now else None,
    )  # fmt: skip


register(Requirement("smallest", "Small things", "grounds", _judge, step="small"))
