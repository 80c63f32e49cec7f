"""Closure: everything a chosen model leans on, by reference and by name, wherever in the heap it lies."""

from __future__ import annotations

import os
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

from customs.errors import CustomsError
from customs.formats.registry import recognise
from customs.formats.source import Source
from customs.intake.archives.base import HEAD
from customs.intake.heap import Entry, Heap
from customs.intake.kinds import group_of
from customs.intake.through import HeapTree
from customs.job import Job
from customs.tolerances import DECODING

Verdict = Literal["cleared", "query", "held"]
By = Literal["chosen", "reference", "name", "missing"]
MOST_CANDIDATES = 24
LOADED, MODEL_TIMES = 160e6, 12
"""Bytes the program takes by itself, and times the bytes of a model while it is put right (measured: a GLB of 56 MB
takes 0.72 GB).
"""


@dataclass(frozen=True)
class Lean:
    """One file a model leans on: the name the model says (or the file's own), where it lies ("" where nothing
    does), how it was found, and all that may be meant, best first.
    """

    name: str
    place: str
    by: By
    size: int = 0
    candidates: tuple[str, ...] = ()

    @property
    def verdict(self) -> Verdict:
        """Held when missing, a query when several may be meant."""
        if not self.place:
            return "query" if self.candidates else "held"
        return "cleared"


@dataclass(frozen=True)
class Closure:
    """What goes along with one model."""

    model: Entry
    leans: tuple[Lean, ...]
    problem: str = ""
    given: Mapping[str, str] = field(default_factory=dict)

    @property
    def places(self) -> list[str]:
        """The model and all that was found, once each."""
        return list(dict.fromkeys([self.model.place, *(x.place for x in self.leans if x.place)]))

    @property
    def size(self) -> int:
        """Bytes of it all, unpacked."""
        return self.model.size + sum({x.place: x.size for x in self.leans if x.place}.values())

    @property
    def verdict(self) -> Verdict:
        """The worst of what it leans on."""
        if self.problem:
            return "held"
        found = {x.verdict for x in self.leans}
        return "held" if "held" in found else "query" if "query" in found else "cleared"


class Names:
    """All files of a heap by their names, whatever the spelling: made once, asked often."""

    def __init__(self, entries: Iterable[Entry]) -> None:
        self._whole: dict[str, list[Entry]] = {}
        self._stems: dict[str, list[Entry]] = {}
        for entry in entries:
            if entry.problem or entry.kind == "archive":
                continue
            name = plain(os.path.basename(entry.place))
            self._whole.setdefault(name, []).append(entry)
            if entry.kind == "texture":
                self._stems.setdefault(os.path.splitext(name)[0], []).append(entry)

    def like(self, name: str, model: str) -> list[Entry]:
        """Files that may be meant by `name`, best first: its very name, then a texture of its stem with another
        ending; those nearest to `model` first, of those the largest.
        """
        wanted = plain(name.replace("\\", "/").rsplit("/", 1)[-1])
        found = self._whole.get(wanted) or self._stems.get(os.path.splitext(wanted)[0], [])
        return sorted(found, key=lambda e: (steps_between(e.place, model), -e.size, e.place))[
            :MOST_CANDIDATES
        ]


def plain(name: str) -> str:
    """A name as it is compared: composed, without regard to capitals."""
    return unicodedata.normalize("NFC", name).casefold()


def steps_between(a: str, b: str) -> int:
    """Folders up and down from one place to another."""
    one, other = a.split("/")[:-1], b.split("/")[:-1]
    same = next((k for k, (x, y) in enumerate(zip(one, other)) if x != y), min(len(one), len(other)))
    return len(one) + len(other) - 2 * same


def closures(
    heap: Heap,
    models: Sequence[Entry],
    given: Mapping[str, str] | None = None,
    job: Job | None = None,
    names: Names | None = None,
) -> list[Closure]:
    """What goes along with each model. `given` are places a person chose for names. Raises Cancelled."""
    job, names = job or Job(), names or Names(heap.entries)
    trees: dict[str, HeapTree] = {}
    out = []
    for number, model in enumerate(models):
        job.check()
        job.progress(number / max(len(models), 1), os.path.basename(model.place))
        tree = trees.setdefault(model.root, HeapTree(heap, Path(model.root)))
        out.append(_closure(heap, model, tree, names, given or {}))
    return out


def _closure(heap: Heap, model: Entry, tree: HeapTree, names: Names, given: Mapping[str, str]) -> Closure:
    source = Source(model.path, tree=tree, given={name: Path(place) for name, place in given.items()})
    try:
        entry = recognise(model.path, source.data[:HEAD])
        if entry is not None and entry.leans is not None:
            entry.leans(source)
    except CustomsError as problem:
        return Closure(model, (), str(problem).removeprefix(model.place + ": "))
    mine = {place: name for name, place in given.items()}
    leans = [
        Lean(
            mine.get(place) or os.path.relpath(place, model.path.parent),
            place,
            "chosen" if place in mine else "reference",
            _size(heap, place),
        )
        for place in dict.fromkeys(str(p) for p in source.touched)
    ]
    for name in dict.fromkeys(source.absent):
        found = names.like(name, model.place)
        if len(found) == 1:
            leans.append(Lean(name, found[0].place, "name", found[0].size, (found[0].place,)))
        else:
            leans.append(Lean(name, "", "missing", 0, tuple(e.place for e in found)))
    chosen = {x.name: x.place for x in leans if x.by in ("chosen", "name")}
    return Closure(model, tuple(leans), given=chosen)


def _size(heap: Heap, place: str) -> int:
    entry = heap.entry(place)
    if entry is not None:
        return entry.size
    try:
        return os.stat(place).st_size
    except OSError:
        return 0


@dataclass(frozen=True)
class Cost:
    """What taking some models in costs: bytes written, bytes free where they go, bytes of the whole heap, bytes of
    other kinds beside them that stay where they are, by kind; seconds at the rate measured so far (0 where nothing was
    measured), and about how many bytes of memory the largest of them takes.
    """

    files: int
    size: int
    free: int
    whole: int
    spared: Mapping[str, int]
    seconds: float
    memory: int


def cost(heap: Heap, chosen: Sequence[Closure], free: int) -> Cost:
    """The cost of taking these in, shared files counted once."""
    places = {p for c in chosen for p in c.places}
    folders = {os.path.dirname(p) for p in places}
    spared: dict[str, int] = {}
    for entry in heap.entries:
        if entry.place in places or entry.kind == "archive":
            continue
        if os.path.dirname(entry.place) in folders and group_of(entry.kind) == "other":
            spared[entry.kind] = spared.get(entry.kind, 0) + entry.size
    whole = sum(e.size for e in heap.entries if e.kind != "archive")
    size = sum(_size(heap, p) for p in places)
    largest = max((c.model.size for c in chosen), default=0)
    picture = max((_size(heap, x.place) for c in chosen for x in c.leans if x.place), default=0)
    memory = int(LOADED + MODEL_TIMES * largest + DECODING * picture) if chosen else 0
    return Cost(len(places), size, free, whole, spared, size / heap.rate if heap.rate else 0.0, memory)
