"""What lies before a person: files, folders and archives, listed as one table, nothing unpacked that need not be.

A place goes on through archives: `stores.tar/figures.zip/stork/body.glb`.
"""

from __future__ import annotations

import contextlib
import os
import threading
import time
from collections.abc import Iterable, Iterator
from functools import partial
from pathlib import Path
from typing import NamedTuple

from customs.errors import CustomsError, ReadError
from customs.files import is_file, open_regular, read_regular
from customs.intake.archives.base import (
    HEAD,
    Archive,
    Asked,
    Into,
    Item,
    LockedError,
    archive_at,
    kind_of_archive,
)
from customs.intake.archives.limits import DEPTH, ENTRIES
from customs.intake.kinds import MODEL, WHOLE, ending_of, kind_by_content, kind_by_ending
from customs.intake.spill import Spill, key_of
from customs.job import Job
from customs.preferences import preferences

EVERY = 500
MOST_BESIDE = 1 << 29
"""Bytes that are unpacked for the sake of one file among them."""


class Entry(NamedTuple):
    """One file: where it lies, the place it was found from, its kind, bytes unpacked, why it cannot be had (or
    ""); the archive it lies in and which of its items it is, for one that is not on the disk.
    """

    place: str
    root: str
    kind: str
    size: int
    problem: str = ""
    archive: str = ""
    item: Item | None = None
    locked: bool = False

    @property
    def path(self) -> Path:
        """Its place."""
        return Path(self.place)

    @property
    def takeable(self) -> bool:
        """True when it is a model that can be had."""
        return self.kind.startswith(MODEL) and not self.problem

    @property
    def shown(self) -> str:
        """Path from where it was found."""
        return (
            os.path.relpath(self.place, self.root)
            if self.place != self.root
            else os.path.basename(self.place)
        )


class _Open(NamedTuple):
    archive: Archive
    spill: Spill
    lock: threading.Lock


class _Lies(NamedTuple):
    """Where an archive's own bytes are, how many archives it is in with itself, its folder of the cache."""

    file: Path
    depth: int
    spill: Spill | None


class Heap:
    """Everything in some files and folders. Archives stay open as long as it lives; what is unpacked of them goes into
    the `cache` (the user's own unless given), at most `limit` bytes (as
    preferred unless given).
    """

    def __init__(self, limit: int | None = None, cache: Path | None = None) -> None:
        self.entries: list[Entry] = []
        self.remarks: list[str] = []
        self.passwords: dict[str, str] = {}
        self._limit, self._cache = preferences().unpacked if limit is None else limit, cache
        self._open: dict[str, _Open] = {}
        self._lie: dict[str, _Lies] = {}
        self._at: dict[str, int] = {}
        self._below: dict[str, list[str]] | None = None
        self._spent, self._unpacked = 0.0, 0

    def add(self, path: Path, job: Job | None = None) -> None:
        """List a file, a folder or an archive. Raises Cancelled; what cannot be opened is a row that says so."""
        job, path = job or Job(), Path(os.path.abspath(path))
        root = str(path) if os.path.isdir(path) or outermost(path) else str(path.parent)
        before = len(self.entries)
        try:
            self._add(path, root, job)
        except BaseException:
            # Half a listing would be taken for a whole one when it is asked for again.
            self._forget(before)
            raise
        finally:
            self._below = None

    def _add(self, path: Path, root: str, job: Job) -> None:
        for number, file in enumerate(files_below(path)):
            if len(self.entries) >= ENTRIES:
                self.remarks.append(f"{path.name}: more than {ENTRIES:,} entries; the rest is not listed")
                break
            if number % EVERY == 0:
                job.check()
                job.progress(0.0, f"Listing {path.name} · {len(self.entries):,}")
            self._file(file, root, named=file == str(path), job=job)

    def _forget(self, before: int) -> None:
        """Let go of all entries from one on."""
        for entry in self.entries[before:]:
            if (opened := self._open.pop(entry.place, None)) is not None:
                opened.archive.close()
                opened.spill.close()
        del self.entries[before:]
        self._at = {e.place: k for k, e in enumerate(self.entries)}

    def unlock(self, place: str, password: str, job: Job | None = None) -> None:
        """Open an archive, or what is encrypted in it, with a password kept for this sitting alone. Raises
        CustomsError where it does not fit.
        """
        before = self.passwords.copy()
        self.passwords[place] = password
        try:
            self._again(place, job or Job())
        except CustomsError:
            self.passwords = before
            raise

    # -- asking

    def knows(self, archive: Path, key: str) -> bool:
        """True when an archive of the disk is open here as it is now: `key` is that of `key_of`."""
        opened = self._open.get(str(archive))
        return opened is not None and opened.spill.key == key

    def entry(self, place: str) -> Entry | None:
        """What lies at a place."""
        at = self._at.get(place)
        return None if at is None else self.entries[at]

    def listing(self, folder: str) -> list[str]:
        """Places right in a folder or an archive, in order."""
        if self._below is None:
            below: dict[str, dict[str, None]] = {}
            for entry in self.entries:
                place = entry.place
                while place != entry.root and (up := place.rpartition("/")[0]):
                    known = below.setdefault(up, {})
                    if place in known:
                        break
                    known[place] = None
                    place = up
            self._below = {folder: sorted(places) for folder, places in below.items()}
        return self._below.get(folder, [])

    def read(self, place: str, most: int) -> bytes | None:
        """All bytes at a place, None when there are more than `most`. Raises OSError, CustomsError."""
        entry = self.entry(place)
        if entry is None or entry.item is None:
            return read_regular(Path(place), most)
        return None if entry.size > most else self.on_disk(place).read_bytes()

    def on_disk(self, place: str, job: Job | None = None) -> Path:
        """A file of the disk with the bytes at a place: its own, or one of the cache. Raises CustomsError."""
        entry = self.entry(place)
        if entry is None or entry.item is None:
            return Path(place)
        target = self._spilled(entry)
        if not target.is_file():
            self.unpack(self._beside(entry), job)
        return target

    def _beside(self, entry: Entry) -> list[str]:
        """Places to unpack for one: what lies in the same folder comes along where a block would be gone through
        for each.
        """
        assert entry.item is not None
        if not self._open[entry.archive].archive.solid:
            return [entry.place]
        folder = os.path.dirname(entry.place)
        near = [
            e for p in self.listing(folder) if (e := self.entry(p)) is not None and e.archive == entry.archive
        ]
        fine = [e.place for e in near if not e.problem and not e.locked]
        most = min(MOST_BESIDE, self._limit // 8)
        return fine if sum(e.size for e in near) <= most and entry.place in fine else [entry.place]

    def unpack(self, places: Iterable[str], job: Job | None = None) -> None:
        """Entries of archives into the cache, each archive gone through once. Raises CustomsError, Cancelled."""
        job, wanted = job or Job(), dict[str, list[Entry]]()
        for place in places:
            entry = self.entry(place)
            if entry is not None and entry.item is not None and not self._spilled(entry).is_file():
                wanted.setdefault(entry.archive, []).append(entry)
        for number, (archive, entries) in enumerate(wanted.items()):
            part = job.part(number / len(wanted), (number + 1) / len(wanted))
            began = time.perf_counter()
            self.copy(
                archive, [e.item for e in entries if e.item is not None], _into(self._open[archive]), part
            )
            self._spent += time.perf_counter() - began
            self._unpacked += sum(e.size for e in entries)

    def copy(self, archive: str, items: list[Item], into: Into, job: Job) -> None:
        """The bytes of items of an archive, each to what `into` opens; one thread after another. Raises
        CustomsError, Cancelled.
        """
        opened = self._open[archive]
        with opened.lock:
            opened.archive.copy(items, into, job)

    @property
    def rate(self) -> float:
        """Bytes a second that were unpacked so far; 0 before anything was."""
        return self._unpacked / self._spent if self._spent else 0.0

    def _spilled(self, entry: Entry) -> Path:
        assert entry.item is not None
        return self._open[entry.archive].spill.folder / _target(entry.item)

    def close(self) -> None:
        """Let go of all archives, and of what was unpacked."""
        for place, opened in self._open.items():
            opened.archive.close()
            opened.spill.close(any(f"{place}/".startswith(f"{p}/") for p in self.passwords))
        self._open.clear()

    # -- listing

    def _file(self, file: str, root: str, named: bool, job: Job) -> None:
        try:
            size = os.stat(file).st_size
        except OSError:
            return
        if file in self._at:
            # It was brought before, by itself or with another folder.
            return
        kind = kind_by_ending(file)
        looked = (named and ending_of(file) not in WHOLE) or kind in ("archive", "other")
        inside = archive_at(Path(file)) if looked else None
        if inside is not None:
            self._list(Entry(file, root, "archive", size), _Lies(Path(file), 1, None), job)
            return
        if kind.startswith(MODEL):
            with contextlib.suppress(OSError), open_regular(Path(file)) as f:
                kind = kind_by_content(file, f.read(HEAD))
        self._say(Entry(file, root, "other" if kind == "archive" else kind, size))

    def _say(self, entry: Entry) -> None:
        self._at[entry.place] = len(self.entries)
        self.entries.append(entry)

    def _list(self, entry: Entry, lies: _Lies, job: Job) -> None:
        """An archive's own row, and those of what it holds."""
        place, problem = entry.place, ""
        if lies.depth > DEPTH:
            problem = f"more than {DEPTH} archives inside one another; it is not opened"
        self._lie[place] = lies
        kind = archive_at(lies.file)
        if problem or kind is None:
            self._say(entry._replace(problem=problem or "no archive any more"))
            return
        try:
            spill = lies.spill or Spill(key_of(lies.file), self._limit, self._cache)
            archive = kind.open(Asked(lies.file, place, spill, self.passwords.get(place)), job)
        except (CustomsError, OSError) as error:
            said = str(error).removeprefix(f"{place}: ")
            self._say(entry._replace(problem=said, locked=isinstance(error, LockedError)))
            return
        self._say(entry)
        self._open[place] = opened = _Open(archive, spill, threading.Lock())
        name, count = os.path.basename(place), len(archive.items)
        self.remarks += [f"{name}: {r}" for r in archive.remarks]
        for number, item in enumerate(archive.items):
            if number % EVERY == 0:
                job.check()
                job.progress(number / count, f"Listing {name} · {number:,} of {count:,}")
            if len(self.entries) >= ENTRIES:
                self.remarks.append(f"{name}: more than {ENTRIES:,} entries in all; the rest is not listed")
                return
            self._item(entry, opened, item, job)

    def _item(self, outer: Entry, opened: _Open, item: Item, job: Job) -> None:
        kind = kind_by_ending(item.name)
        locked = item.locked and outer.place not in self.passwords
        problem = item.problem or ("encrypted" if locked else "")
        entry = Entry(
            f"{outer.place}/{item.name}", outer.root, kind, item.size, problem, outer.place, item, locked
        )
        # What is a model and what is a picture is said by the ending here; what nobody knows is looked into.
        if not problem and kind in ("archive", "other"):
            try:
                if self._is_archive(opened, item, kind):
                    file = opened.spill.folder / f"archives/{item.number}"
                    if not file.is_file():
                        aside = partial(opened.spill.writing, f"archives/{item.number}", item.size)
                        opened.archive.copy([item], lambda _: aside(), job)
                    lies = _Lies(file, self._lie[outer.place].depth + 1, opened.spill.inner(item.name))
                    self._list(entry._replace(kind="archive"), lies, job)
                    return
            except CustomsError as error:
                entry = entry._replace(problem=str(error).removeprefix(f"{entry.place}: "))
        self._say(entry._replace(kind="other") if kind == "archive" else entry)

    def _is_archive(self, opened: _Open, item: Item, kind: str) -> bool:
        head = opened.archive.head(item)
        return kind_of_archive(head) is not None if head else kind == "archive"

    def _again(self, place: str, job: Job) -> None:
        """The rows of an archive, made anew where they stand."""
        start, before = self._at[place], list(self.entries)
        end = start + 1
        while end < len(before) and before[end].place.startswith(f"{place}/"):
            end += 1
        self.entries = before[:start]
        self._list(before[start]._replace(problem="", locked=False), self._lie[place], job)
        row, now = self.entries[start], self.entries[start:]
        try:
            if row.problem:
                raise ReadError(row.problem, "a password that fits", "", place)
            if opened := [e for e in now if e.item is not None and e.item.locked and not e.problem]:
                # Only a whole entry proves it.
                self.on_disk(min(opened, key=lambda e: e.size).place, job)
        except CustomsError:
            self.entries = before
            raise
        finally:
            self.entries += before[end:] if self.entries is not before else []
            self._at = {e.place: k for k, e in enumerate(self.entries)}
            self._below = None


def _target(item: Item) -> str:
    return f"files/{item.name}"


def _into(opened: _Open) -> Into:
    return lambda item: opened.spill.writing(_target(item), item.size)


def outermost(path: Path) -> bool:
    """True for a file of the disk that is an archive, and no model kept as one."""
    return ending_of(path.name) not in WHOLE and is_file(path) and archive_at(path) is not None


def files_below(path: Path) -> Iterator[str]:
    """Files at `path` and below it, in order, hidden ones passed over."""
    if is_file(path):
        yield str(path)
        return
    for folder, names, files in os.walk(path):
        names[:] = sorted(n for n in names if not n.startswith("."))
        for name in sorted(files):
            if not name.startswith("."):
                yield os.path.join(folder, name)
