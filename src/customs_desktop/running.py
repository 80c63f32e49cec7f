"""A run of a recipe in the window: beside its own work, each asset in a process of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from customs.errors import Cancelled, CustomsError
from customs.intake.scan import model_files
from customs.job import Job
from customs.kernels.cores import cores
from customs.later import later
from customs.memory import wanted_memory
from customs.preferences import preferences
from customs.runs.rows import ENDED, Row
from customs.words import many
from customs.work.lookup import find_sheet
from customs_desktop.session import Session
from customs_desktop.worker import Task

if TYPE_CHECKING:
    from customs.recipes.recipe import Recipe

recipe_files = later("customs.recipes.recipe")
recipes, reports = later("customs.work.recipes"), later("customs.runs.report")
running, children = later("customs.runs.run"), later("customs.runs.children")

SECONDS = 900.0
Doing = dict[str, tuple[str, float, int]]
"""Of what runs now, by its file: what it does, for how many seconds, with how many bytes."""


@dataclass(frozen=True)
class Asked:
    """What is to be run: a recipe's file, files and folders, where to, the destinations' own folders by sheet."""

    recipe: Path
    inputs: tuple[Path, ...]
    out: Path
    kits: Mapping[str, str] = field(default_factory=dict)
    replace: bool = False


def kit_of(sheet: str, kits: Mapping[str, str]) -> Path | None:
    """The folder of a recipe's destination, where it has one and a person has chosen it. Raises CustomsError."""
    found = find_sheet(sheet)
    folder = kits.get(found.id, "") if found.goes_into_kit else ""
    return Path(folder).expanduser() if folder else None


class Running(QObject):
    """The run of the window, one at a time. `rows` are its assets by file; `doing` what runs now. Emits `began`, `moved` (rows that changed, by
    their files), `ended`.
    """

    began = pyqtSignal()
    moved = pyqtSignal(object)
    ended = pyqtSignal()
    _known = pyqtSignal(object, object)
    _came = pyqtSignal(object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.asked: Asked | None = None
        self.recipe: Recipe | None = None
        self.rows: dict[str, Row] = {}
        self.doing: Doing = {}
        self.paused = False
        self.task: Task | None = None
        self._first: list[str] = []
        self._decisions: list[dict[str, object]] | None = None
        self._known.connect(self._begin)
        self._came.connect(self._take)

    @property
    def goes(self) -> bool:
        """True while it runs, paused too."""
        return self.task is not None

    def start(self, asked: Asked) -> None:
        """Run it, or go on with it where it was ended."""
        if self.goes:
            return
        self.asked, self.paused, self.doing = asked, False, {}
        self._first.clear()
        self.task = Task(
            1, key="run", title=asked.recipe.stem, run=lambda job: self._run(asked, job), done=lambda _: self._over(), failed=self._failed,
            apart=True,
        )  # fmt: skip
        self.session.worker.submit(self.task)
        self.began.emit()

    def cancel(self) -> None:
        """End it; what ran waits for the next time."""
        if self.task is not None:
            self.session.worker.cancel(self.task)

    def first(self, paths: Sequence[str]) -> None:
        """These are run before all others that wait."""
        self._first.extend(reversed(paths))

    def decide(self, goods: Sequence[str], step: dict[str, object], every: bool) -> bool:
        """One decision more in the recipe's file, for all goods or for these, and it is run again."""
        if self.asked is None or self.goes:
            return False
        stems = () if every else [Path(p).stem for p in goods]
        try:
            recipes.add_decision(
                self.asked.recipe, recipes.decision(stems, recipe_files.Decided.model_validate(step))
            )
        except (CustomsError, OSError) as problem:
            self.session.fail(problem)
            return False
        whom = "all its goods" if every else many(len(goods), "asset")
        self.session.said.emit(f"{self.asked.recipe.name} now decides {step['step']} for {whom}.", "note")
        self.start(self.asked)
        return True

    # -- beside the window

    def _run(self, asked: Asked, job: Job) -> None:
        job.progress(0.0, "Listing goods")
        recipe = recipe_files.read_recipe(asked.recipe)
        entries = model_files(list(asked.inputs), job)
        kit = kit_of(recipe.sheet, asked.kits)
        requests = recipes.requests_of(recipe, entries, asked.out, kit, asked.replace, asked.recipe.parent)
        side = preferences().side or cores()
        made = running.Run(requests, asked.out, children.Limits(SECONDS, wanted_memory(side)), side)
        known = {r.path: r for r in made.rows.all()}
        self._known.emit(recipe, list(known.values()))
        old = {p: r for p, r in known.items() if r.state in ENDED}

        def look() -> None:
            job.check()
            made.pause = self.paused
            while self._first:
                made.rows.first(self._first.pop(0))
            doing = {str(c.request.path): (c.doing, c.seconds, c.peak) for c in made.running}
            job.progress(len(old) / max(len(known), 1), f"{len(old):,} of {len(known):,}")
            self._came.emit([], doing)

        for told in made.results(look):
            old[told.row.path] = told.row
            if told.fresh:
                self._came.emit([told.row], None)
        reports.write_report(asked.out, reports.report(recipe.name, [old[p] for p in known if p in old]))

    def _begin(self, recipe: Recipe, rows: list[Row]) -> None:
        self.recipe, self.rows, self._decisions = recipe, {r.path: r for r in rows}, None
        self.began.emit()

    def _take(self, rows: list[Row], doing: Doing | None) -> None:
        changed = {r.path for r in rows}
        self.rows |= {r.path: r for r in rows}
        self._decisions = None if rows else self._decisions
        if doing is not None:
            changed |= set(doing) | set(self.doing)
            self.doing = doing
        if changed:
            self.moved.emit(changed)

    def _over(self) -> None:
        self.task, self.doing = None, {}
        self.ended.emit()

    def _failed(self, problem: Exception) -> None:
        self._over()
        if isinstance(problem, Cancelled):
            self.session.said.emit(
                "The run was ended: what is done stays, the rest waits for the next time.", "note"
            )
        else:
            self.session.fail(problem)

    def state(self, path: str) -> str:
        """The state of one as it stands now."""
        row = self.rows[path]
        if path in self.doing:
            return "running"
        return row.state if row.state in ENDED else "waiting"

    def counts(self) -> dict[str, int]:
        """How many are in each state."""
        out: dict[str, int] = {}
        for path in self.rows:
            state = self.state(path)
            out[state] = out.get(state, 0) + 1
        return out

    def decisions(self) -> list[dict[str, object]]:
        """What is left for a person, what clears most first; found once until another asset has ended."""
        if self._decisions is None:
            self._decisions = reports.decisions([r for r in self.rows.values() if r.state in ENDED])
        return self._decisions
