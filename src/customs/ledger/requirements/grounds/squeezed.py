"""What a list of placements cannot say: things squeezed flat where they stand."""

from __future__ import annotations

from collections.abc import Iterator

from customs.grounds.leaving import flat_things
from customs.grounds.things import things_of
from customs.ledger.row import Case, Requirement, Row, register, said
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.grounds.form != "list":
        return
    count = int(flat_things(things_of(case.delivering)).sum())
    if count:
        yield rule.row(
            "–", "with a size each way", said(count, many(count, "thing") + " without"), "query",
            note="Their scale is nothing one way at least, so nothing of them is seen: they are not placed.",
        )  # fmt: skip


register(Requirement("squeezed", "Squeezed flat", "grounds", _judge))
