"""Learning: packages read, a sheet proposed, and each of them judged by it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from customs.errors import SheetError
from customs.job import Job
from customs.learning.examples import Example, find_packages, read_example
from customs.learning.found import Found
from customs.learning.judging import judged, open_rows
from customs.learning.learned import learn, learned_sheet, sheet_text, taken_by_default, told_apart
from customs.ledger.row import Row
from customs.sheet.model import Sheet


@dataclass(frozen=True)
class LearnRequest:
    """Packages, or folders of packages; the id and title of the sheet to be."""

    packages: tuple[Path, ...]
    id: str
    title: str = ""


@dataclass(frozen=True, eq=False)
class Learned:
    """What came of it: the examples, told apart where they are of several `groups` (nothing more is there then), what was found, which
    keys are taken, the sheet as text and as it is read, the rows of it that each example leaves open.
    """

    examples: tuple[Example, ...]
    groups: tuple[tuple[Example, ...], ...]
    found: tuple[Found, ...] = ()
    taken: frozenset[str] = frozenset()
    text: str = ""
    sheet: Sheet | None = None
    verdicts: Mapping[str, tuple[Row, ...]] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        """For `--json`."""
        return {
            "keys": [f.as_dict() | {"taken": f.key in self.taken} for f in self.found],
            "examples": [
                {
                    "package": str(e.folder),
                    "problem": e.problem,
                    "open": [r.as_dict() for r in self.verdicts.get(e.name, ())],
                }
                for e in self.examples
            ],
        }


def run_learn(
    request: LearnRequest, job: Job | None = None, told: Callable[[Found], None] = lambda found: None
) -> Learned:
    """Read, find and judge; `told` hears of each key as it is found. Raises CustomsError and Cancelled."""
    job = job or Job()
    places = find_packages(request.packages, job)
    examples = []
    for k, place in enumerate(places):
        job.progress(0.5 * k / len(places), place.name)
        examples.append(read_example(place, job))
    groups = tuple(tuple(g) for g in told_apart(examples))
    if len(groups) > 1:
        return Learned(tuple(examples), groups)
    found = tuple(learn(examples, job.part(0.5, 0.7), told))
    bare = Learned(tuple(examples), groups, found)
    return with_taken(bare, taken_by_default(found), request.id, request.title, job.part(0.7, 1.0))


def with_taken(
    learned: Learned, taken: Collection[str], id_: str, title: str = "", job: Job | None = None
) -> Learned:
    """The sheet with the keys that are `taken`, and each example judged by it. Raises SheetError where they are none together."""
    job, good = job or Job(), [e for e in learned.examples if e.models]
    text, sheet = written_with(learned, taken, id_, title)
    verdicts = dict[str, tuple[Row, ...]]()
    for k, e in enumerate(good):
        job.progress(k / len(good), e.name)
        verdicts[e.name] = tuple(open_rows(judged(e, sheet, job)))
    return Learned(learned.examples, learned.groups, learned.found, frozenset(taken), text, sheet, verdicts)


def written_with(learned: Learned, taken: Collection[str], id_: str, title: str = "") -> tuple[str, Sheet]:
    """The sheet with the keys that are `taken`, as text and as it is read; nothing is judged. Raises SheetError."""
    names = [e.name for e in learned.examples if e.models]
    text = sheet_text(learned.found, taken, id_, title or id_, names)
    try:
        return text, learned_sheet(text, f"{id_}.toml")
    except SheetError as problem:
        problem.todo = f"{problem.todo} Leave one of the keys.".strip()
        raise
