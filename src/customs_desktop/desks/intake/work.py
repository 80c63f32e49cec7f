"""The heap of the desk Intake and what is done with it, off the interface thread."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from customs.errors import CustomsError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.intake.browse import Browsed
from customs.intake.closure import Closure, Cost, Names, closures, cost
from customs.intake.duplicates import duplicates
from customs.intake.heap import Entry, Heap
from customs.intake.origins import Explained, explained
from customs.intake.pairs import Pair, pairs
from customs.intake.rights import Slip, slip_of
from customs.intake.through import HeapTree, show
from customs.job import Job
from customs.scene.model import Scene
from customs.words import byte_text, many
from customs.work.places import data_folder
from customs_desktop.desks.intake.preview import Shown
from customs_desktop.desks.intake.reading import shown_file
from customs_desktop.office import Office
from customs_desktop.worker import Task

SAMPLED, PAIRED = 4, 12
"""Models that are read to tell where they come from, and that clips are looked for."""


@dataclass(frozen=True)
class Chosen:
    """What is chosen, and what comes of taking it in."""

    closures: tuple[Closure, ...] = ()
    cost: Cost | None = None
    slips: tuple[Slip | None, ...] = ()


class HeapWork(QObject):
    """Emits `listed` (fresh?, to be looked at?) with a new listing in `browsed`, `closed` with what goes along in `chosen`,
    `read` with what a file holds, `told` with the origins that explain the chosen best,
    `folded` with places of exact duplicates and the place each is a duplicate of, `matched` where files of clips were
    found for the chosen: `pairs`, those in `along` go along. `choosing` says that what goes along is being found out
    anew: until it is `settled`, nothing of it is to be taken.
    """

    listed = pyqtSignal(bool, bool)
    choosing = pyqtSignal()
    closed = pyqtSignal()
    read = pyqtSignal(object)
    told = pyqtSignal(object)
    folded = pyqtSignal(object)
    matched = pyqtSignal()

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.heap = Heap()
        # What a password opened goes with the window.
        session.at_close.append(lambda: self.heap.close())
        self.browsed = Browsed([])
        self.names = Names([])
        self.paths: list[Path] = []
        self.picked: dict[str, Closure | None] = {}
        self.given: dict[str, str] = {}
        self.chosen = Chosen()
        self.settled = True
        self._asked = 0
        self.pairs: list[Pair] = []
        self.along: set[tuple[str, str]] = set()

    def _submit(
        self,
        key: str,
        title: str,
        run: Callable[[Job], object],
        done: Callable[..., None],
        rank: int = 0,
        failed: Callable[[Exception], None] | None = None,
    ) -> None:
        self.session.worker.submit(
            Task(rank, key=key, title=title, run=run, done=done, failed=failed or self.session.fail)
        )

    # -- listing

    def look(
        self,
        paths: Sequence[Path],
        then: Callable[[list[Entry]], None] | None = None,
        shown: bool = True,
    ) -> None:
        """List files, folders and archives besides what is there; `then` is given the models that are new. They are
        `shown` unless a person looks at something else.
        """
        heap = self.heap
        fresh = [p for p in map(Path.absolute, paths) if p not in self.paths]
        self.paths += fresh

        def run(job: Job) -> tuple[Browsed, Names, list[Entry]]:
            before = len(heap.entries)
            for path in fresh:
                heap.add(path, job)
            show(heap)
            return (
                Browsed(heap.entries),
                Names(heap.entries),
                [e for e in heap.entries[before:] if e.takeable],
            )

        def done(answer: tuple[Browsed, Names, list[Entry]]) -> None:
            if heap is not self.heap:
                return
            self.browsed, self.names, models = answer
            self.listed.emit(True, shown)
            if heap.remarks:
                self.session.said.emit(". ".join(heap.remarks[:3]) + ".", "query")
                heap.remarks.clear()
            if then is not None:
                then(models)
            self._close()

        def failed(problem: Exception) -> None:
            if heap is self.heap:
                # It may be asked for again.
                self.paths = [p for p in self.paths if p not in fresh]
            self.session.fail(problem)

        self._submit("", "Listing", run, done, failed=failed)

    def look_into(self, make: Callable[[], Path]) -> None:
        """List a file that is made first."""
        self._submit("", "The stores", lambda job: make(), lambda path: self.look([path]))

    def fold_twins(self, wanted: bool) -> None:
        """Exact duplicates are counted and folded away, or shown again."""
        if not wanted:
            self.folded.emit({})
            return
        heap = self.heap

        def done(twins: dict[str, str]) -> None:
            if heap is not self.heap:
                return
            size = sum(e.size for p in twins if (e := heap.entry(p)) is not None)
            self.session.said.emit(
                f"{many(len(twins), 'exact duplicate')}, {byte_text(size)}: folded away.", "note"
            )
            self.folded.emit(twins)

        self._submit("twins", "Counting duplicates", lambda job: duplicates(heap, job), done)

    def unlock(self, place: str, password: str) -> None:
        """Open an archive with a password."""
        heap = self.heap

        def run(job: Job) -> tuple[Browsed, Names]:
            heap.unlock(place, password, job)
            return Browsed(heap.entries), Names(heap.entries)

        def done(answer: tuple[Browsed, Names]) -> None:
            self.browsed, self.names = answer
            self.listed.emit(False, True)

        self._submit("", "Opening", run, done)

    def clear(self) -> None:
        """An empty heap: nothing is forgotten but what was looked at."""
        old, self.heap = self.heap, Heap()
        self.browsed, self.names, self.paths, self.picked, self.given = Browsed([]), Names([]), [], {}, {}
        self.chosen, self.pairs, self.along = Chosen(), [], set()
        self._settle()
        self.matched.emit()
        self.listed.emit(True, True)
        self.closed.emit()
        self.read.emit(None)
        self._submit("", "Closing", lambda job: old.close(), lambda _: None)

    # -- looking

    def preview(self, entry: Entry | None) -> None:
        """Read a file to be shown; the last one asked for wins."""
        if entry is None or entry.kind == "archive":
            self.read.emit(None)
            return
        heap, names, given = self.heap, self.names, dict(self.given)
        self._submit(
            "preview", "Preview", lambda job: self.looked_at(heap, entry, names, given, job), self.read.emit
        )

    @staticmethod
    def looked_at(heap: Heap, entry: Entry, names: Names, given: dict[str, str], job: Job) -> Shown:
        """What a file holds, a model with all it leans on; on any thread."""
        found = closures(heap, [entry], given, job, names)[0] if entry.takeable else None
        return shown_file(heap, entry, found.given if found is not None else {}, job)

    # -- choosing

    def toggle(self, places: Sequence[str]) -> None:
        """Choose the models at some places and below them; let them go where all are chosen already."""
        found = [e.place for e in self._models(places)]
        if not found:
            return
        if all(p in self.picked for p in found):
            for place in found:
                self.picked.pop(place, None)
        else:
            self.picked |= dict.fromkeys((p for p in found if p not in self.picked), None)
        self._close()

    def _models(self, places: Sequence[str]) -> list[Entry]:
        below = tuple(f"{p}/" for p in places)
        asked = set(places)
        return [
            e
            for e in self.browsed.entries
            if e is not None and e.takeable and (e.place in asked or e.place.startswith(below))
        ]

    def let_go(self) -> None:
        """Nothing is chosen any more."""
        self.picked, self.chosen, self.pairs = {}, Chosen(), []
        self._settle()
        self.closed.emit()
        self.matched.emit()

    def give(self, name: str, place: str) -> None:
        """A file that is meant by a name, wherever it is missing."""
        self.given[name] = place
        self._close()

    def _settle(self) -> None:
        """What was asked before is of no use any more."""
        self._asked += 1
        self.settled = True

    def _close(self) -> None:
        heap, given, names = self.heap, dict(self.given), self.names
        wanted = [e for p in self.picked if (e := heap.entry(p)) is not None]
        store = self.session.shipment.store if self.session.shipment is not None else data_folder()
        self._settle()
        number, self.settled = self._asked, False
        self.choosing.emit()

        def run(job: Job) -> Chosen:
            found = closures(heap, wanted, given, job, names)
            place = next(p for p in (store, *store.parents) if p.exists())
            slips = tuple(slip_of(heap, e) for e in wanted)
            return Chosen(tuple(found), cost(heap, found, shutil.disk_usage(place).free), slips)

        def done(chosen: Chosen) -> None:
            if number == self._asked:
                self.chosen, self.settled = chosen, True
                self.picked = {p: None for p in self.picked} | {c.model.place: c for c in chosen.closures}
                self.closed.emit()
                self._tell(wanted[:SAMPLED])
                self._pair(wanted[:PAIRED])

        self._submit("closure", "What goes along", run, done)

    def _pair(self, models: Sequence[Entry]) -> None:
        heap, known = self.heap, {(p.model, p.place) for p in self.pairs}

        def done(found: list[Pair]) -> None:
            if heap is self.heap:
                self.pairs = found
                # What fits wholly goes along unless a person says otherwise.
                new = [(p.model, p.place) for p in found if p.fits == p.of]
                self.along |= {p for p in new if p not in known}
                self.matched.emit()

        self._submit("pairs", "What goes with it", lambda job: pairs(heap, models, job), done, rank=1)

    def pair(self, pair: Pair, wanted: bool) -> None:
        """Clips of a file go along with a model, or do not."""
        (self.along.add if wanted else self.along.discard)((pair.model, pair.place))
        self.matched.emit()

    def _tell(self, models: Sequence[Entry]) -> None:
        heap, origins = self.heap, dict(self.session.origins())

        def run(job: Job) -> list[Explained]:
            scenes: list[Scene] = []
            for entry in models:
                job.check()
                try:
                    scenes.append(read_scene(Source(entry.path, tree=HeapTree(heap, Path(entry.root)))))
                except CustomsError:
                    continue
            return explained(scenes, origins)

        self._submit("origins", "Where from", run, self.told.emit, rank=1)
