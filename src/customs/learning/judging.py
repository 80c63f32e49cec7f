"""An example judged by a sheet, as if it were about to be delivered there as it is."""

from __future__ import annotations

from dataclasses import replace

from customs.job import Job
from customs.landing.told_apart import told_apart
from customs.learning.examples import Example
from customs.ledger.ledger import Ledger
from customs.ledger.row import Row
from customs.planning.plan import Subject, fresh_route
from customs.route.route import SceneCache
from customs.sheet.load import sheet_origin
from customs.sheet.model import Sheet

NOT_OF_IT = frozenset(
    {"pictures", "clip-files", "form", "version-stamp", "left-behind", "rights", "axes-stated", "unit-stated"}
)
"""Requirements that ask of a route or a person, not of what lies in a package."""


def judged(example: Example, sheet: Sheet, job: Job | None = None) -> Ledger:
    """The rows of a sheet on an example that are not cleared, those that an asset alone can answer. Raises Cancelled."""
    told = replace(told_apart(example.whole, sheet, example.name).core, name=example.name)
    subject = Subject(told, example.main.digest, sheet)
    route = fresh_route(sheet_origin(sheet))
    plan = subject.judged(route, SceneCache(), job)
    return Ledger(tuple(r for r in plan.ledger.rows if r.requirement not in NOT_OF_IT))


def open_rows(ledger: Ledger) -> list[Row]:
    """Rows that are held or asked."""
    return [r for r in ledger.rows if r.verdict != "cleared"]
