"""The ledger of one asset: every requirement judged, waivers applied, remedies that worked named."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from customs.errors import CustomsError
from customs.ledger.row import RANK, About, Case, Requirement, Row, Verdict, requirements
from customs.ledger.waiver import Waiver, spoken
from customs.route.route import At
from customs.route.step import get_step, step_of
from customs.scene.model import Scene
from customs.sheet.model import Sheet

EVERY = 0.15
"""Seconds between two tellings of what has been judged."""


@dataclass(frozen=True, eq=False)
class Ledger:
    """All rows of one asset, worst first within each desk's order kept."""

    rows: tuple[Row, ...]

    @property
    def verdict(self) -> Verdict:
        """The worst verdict; a waived query counts as cleared."""
        return worst(self.rows)

    @property
    def filled(self) -> bool:
        """True where there is a row."""
        return bool(self.rows)

    def count(self, verdict: Verdict) -> int:
        """Rows with that verdict, waived ones among the cleared."""
        return sum(effective(r) == verdict for r in self.rows)

    def open(self) -> list[Row]:
        """Rows that are neither cleared nor waived, held ones first."""
        rows = [r for r in self.rows if effective(r) != "cleared"]
        return sorted(rows, key=lambda r: -RANK[r.verdict])

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Ledger) and self.rows == other.rows


class KnownVerdict(Ledger):
    """A ledger that has rows and whose verdict is known before they are made, which is when somebody asks for one: of a thousand goods
    a person looks at few.
    """

    def __init__(self, verdict: Verdict, make: Callable[[], tuple[Row, ...]]) -> None:
        self.__dict__.update(_verdict=verdict, _make=make)

    @cached_property
    def rows(self) -> tuple[Row, ...]:
        """All rows."""
        return self.__dict__["_make"]()

    @property
    def verdict(self) -> Verdict:
        """The worst verdict."""
        return self.__dict__["_verdict"]

    @property
    def filled(self) -> bool:
        """True: what has a verdict has rows."""
        return True


def effective(row: Row) -> Verdict:
    """The verdict with a waiver counted."""
    return "cleared" if row.waived else row.verdict


def worst(rows: Sequence[Row]) -> Verdict:
    """The worst effective verdict of `rows`."""
    return max((effective(r) for r in rows), key=RANK.__getitem__, default="cleared")


def judge(
    received: Scene,
    passed: Sequence[At],
    sheet: Sheet,
    about: About | None = None,
    waivers: Mapping[str, Waiver] | None = None,
    upto: str | None = None,
    told: Callable[[Sequence[Row], float], None] | None = None,
) -> Ledger:
    """The ledger at the end of the route, or at stop `upto`. `passed` is what `evaluate` gave. `told` hears
    of the rows so far and the share of the requirements they come from, now and then, and may raise Cancelled.

    Where a requirement itself fails on an asset, its row is held and says so; the others are judged all the
    same.
    """
    upto_at = next((a for a in passed if a.stop.id == upto), passed[-1]) if passed else None
    arrived = passed[0].scene if passed else received
    until = list(passed)[: list(passed).index(upto_at) + 1] if upto_at is not None else []
    case = Case(received, arrived, upto_at.scene if upto_at else received, sheet, about or About(), until)
    spoken_of = spoken(waivers or {}, case.delivering)
    rows = [_waived(_step_row(at), spoken_of) for at in passed if at.error is not None]
    last = time.monotonic()
    rules = requirements()
    for number, rule in enumerate(rules.values(), 1):
        rows += [_waived(_done(r, rule.step, passed), spoken_of) for r in _judged_by(rule, case)]
        if told is not None and time.monotonic() - last > EVERY:
            told(rows, number / len(rules))
            last = time.monotonic()
    return Ledger(tuple(rows))


def _judged_by(rule: Requirement, case: Case) -> list[Row]:
    try:
        with np.errstate(all="ignore"):
            return list(rule.judge(rule, case))
    except CustomsError as problem:
        return [rule.row("–", "–", "–", "held", note=str(problem))]


def _step_row(at: At) -> Row:
    step = step_of(at.stop.step)
    return Row(
        "step",
        f"Step {step.name}",
        step.desk,
        "–",
        "runs",
        "failed",
        "held",
        subject=at.stop.id,
        subject_name=step.name,
        note=str(at.error),
    )


def _done(row: Row, step: str, passed: Sequence[At]) -> Row:
    """A cleared row whose values changed names the stop that did it."""
    if row.verdict != "cleared" or row.received == row.delivering or not step:
        return row
    stop = next((a.stop for a in reversed(passed) if a.stop.step == step), None)
    return replace(row, done_at=get_step(step).name) if stop else row


def _waived(row: Row, waivers: Mapping[str, Waiver]) -> Row:
    waiver = waivers.get(row.id)
    if waiver is None or row.verdict != "query" or not waiver.covers(row):
        return row
    return replace(row, waived=waiver.reason)


def refused(problem: CustomsError) -> Ledger:
    """The ledger of an asset that could not be read: one held row."""
    return Ledger(
        (
            Row(
                "readable",
                "Source can be read",
                "intake",
                problem.found,
                problem.expected or "readable",
                "–",
                "held",
                subject_name=str(problem.where),
                note=str(problem),
            ),
        )
    )
