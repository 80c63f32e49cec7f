"""What is known of every asset of a run, as rows in SQLite: nothing is lost when a process ends at any moment."""

from __future__ import annotations

import functools
import json
import os
import sqlite3
import time
from collections.abc import Callable, Container, Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal, TypeVar

from customs.damage import in_the_way
from customs.errors import WriteError

State = Literal["waiting", "running", "done", "held", "skipped", "failed", "broken"]
"""Waits, runs, was delivered and landed, has to be seen by a person, is none of the goods meant, could not be read or written; its process
died, hung or took too much memory.
"""
ENDED: tuple[State, ...] = ("done", "held", "skipped", "failed", "broken")
STATES: tuple[State, ...] = ("waiting", "running", *ENDED)
NAME = ".customs-run.sqlite"
Found = TypeVar("Found")
LEASE = 30.0
"""Seconds after which a claim that nobody renewed is nobody's."""
FORM = 1
TABLE = """
CREATE TABLE IF NOT EXISTS goods (
  path TEXT PRIMARY KEY, place INTEGER, made_of TEXT, state TEXT, attempt INTEGER DEFAULT 0, pid INTEGER DEFAULT 0, lease REAL DEFAULT 0,
  seconds REAL DEFAULT 0, peak INTEGER DEFAULT 0, files TEXT DEFAULT '[]', told TEXT DEFAULT '{}')
"""


@dataclass(frozen=True)
class Row:
    """One asset: its file, what it hangs on (`made_of`), how often it was tried, what it took (seconds, bytes), the files it was made of as
    they stood, what came of it.
    """

    path: str
    made_of: str
    state: State
    attempt: int = 0
    seconds: float = 0.0
    peak: int = 0
    files: tuple[tuple[str, int, int], ...] = ()
    told: dict[str, Any] | None = None


def made_out(folder: Path) -> None:
    """Makes the folder a run writes to. Raises WriteError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise WriteError(
            f"cannot be made ({problem.strerror})",
            "a folder that can be written to",
            "Choose another folder.",
            folder,
        ) from None


def _told(method: Callable[..., Found]) -> Callable[..., Found]:
    """What SQLite, or what stands in the rows, says of damage, as one of our errors."""

    @functools.wraps(method)
    def guarded(self: Rows, *values: Any) -> Found:
        try:
            return method(self, *values)
        except (sqlite3.Error, ValueError, TypeError) as problem:
            if in_the_way(problem):
                raise WriteError(
                    f"what is known of the run cannot be kept ({problem})", "room, permission, and nobody else at work on it",
                    "Make room, or wait, and run it again: it goes on where it was.", self.path,
                ) from None  # fmt: skip
            raise WriteError(
                f"what is known of the run is damaged ({problem})", "the rows of a run",
                "Move the file away: packages that stand are found again, the rest is run.", self.path,
            ) from None  # fmt: skip

    return guarded


class Rows:
    """The rows of one run, in its folder. May be used from one thread; several processes may each have their own."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / NAME
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._base = sqlite3.connect(self.path, timeout=30, isolation_level=None)
            version = self._base.execute("PRAGMA user_version").fetchone()[0]
            if version > FORM:
                raise WriteError(
                    "the rows of a run by a newer Customs",
                    f"form {FORM} at most",
                    "Run it with that one.",
                    self.path,
                )
            self._base.execute("PRAGMA journal_mode=WAL")
            self._base.execute(TABLE)
            self._base.execute(f"PRAGMA user_version={FORM}")
        except (sqlite3.Error, OSError, ValueError) as problem:
            raise WriteError(
                f"rows cannot be kept ({problem})",
                "a folder that can be written to",
                "Choose another folder.",
                folder,
            ) from None

    def close(self) -> None:
        """Nothing more is asked."""
        self._base.close()

    @_told
    def put(self, wanted: Sequence[tuple[str, str]]) -> None:
        """What is to be run: (path, what it hangs on) in order. Rows of other files go; those that hang on the same as before keep what came of
        them, the others wait; what was broken is tried again.
        """
        with _Whole(self._base):
            known = dict(self._base.execute("SELECT path, made_of FROM goods"))
            paths = dict(wanted)
            self._check_alone([p for p, told in known.items() if paths.get(p) != told])
            self._base.executemany("DELETE FROM goods WHERE path=?", [(p,) for p in known if p not in paths])
            for place, (path, made_of) in enumerate(wanted):
                if path not in known:
                    self._base.execute(
                        "INSERT INTO goods (path, place, made_of, state) VALUES (?, ?, ?, 'waiting')",
                        (path, place, made_of),
                    )
                elif known[path] != made_of:
                    self._base.execute(
                        "UPDATE goods SET place=?, made_of=?, state='waiting', attempt=0 WHERE path=?",
                        (place, made_of, path),
                    )
                else:
                    self._base.execute("UPDATE goods SET place=? WHERE path=?", (place, path))
            self._base.execute("UPDATE goods SET state='waiting' WHERE state='broken'")

    def _check_alone(self, changed: Sequence[str]) -> None:
        """Raises WriteError where another process that lives runs one of these for another recipe."""
        self._free()
        running = dict(self._base.execute("SELECT path, pid FROM goods WHERE state='running'"))
        if any(running.get(p, os.getpid()) != os.getpid() for p in changed):
            raise WriteError(
                "another run goes on in this folder", "the same recipe and goods, or a folder of its own",
                "Wait until it has ended, or choose another folder.", self.path.parent,
            )  # fmt: skip

    @_told
    def again(self, paths: Sequence[str]) -> None:
        """These are run once more."""
        with _Whole(self._base):
            self._base.executemany("UPDATE goods SET state='waiting' WHERE path=?", [(p,) for p in paths])

    @_told
    def claim(self, known: Container[str]) -> Row | None:
        """The next of those `known` that waits, or that nobody runs any more; it is this process's from then on."""
        with _Whole(self._base):
            self._free()
            waiting = self._base.execute("SELECT path FROM goods WHERE state='waiting' ORDER BY place")
            path = next((p for (p,) in waiting if p in known), None)
            if path is None:
                return None
            self._base.execute(
                "UPDATE goods SET state='running', attempt=attempt+1, pid=?, lease=? WHERE path=?",
                (os.getpid(), time.time() + LEASE, path),
            )
        return self.row(path)

    def _free(self) -> None:
        """What a process claimed that is no longer there, or has not said so for long, waits again."""
        running = self._base.execute("SELECT path, pid, lease FROM goods WHERE state='running'").fetchall()
        gone = [
            (path,)
            for path, pid, lease in running
            if pid != os.getpid() and (lease < time.time() or not _lives(pid))
        ]
        self._base.executemany("UPDATE goods SET state='waiting' WHERE path=?", gone)

    @_told
    def renew(self) -> None:
        """What this process has claimed stays its own for a while."""
        self._base.execute(
            "UPDATE goods SET lease=? WHERE state='running' AND pid=?", (time.time() + LEASE, os.getpid())
        )

    @_told
    def let_go(self) -> None:
        """What this process has claimed and not ended waits again."""
        self._base.execute("UPDATE goods SET state='waiting' WHERE state='running' AND pid=?", (os.getpid(),))

    @_told
    def end(
        self,
        path: str,
        state: State,
        seconds: float,
        peak: int,
        files: Sequence[tuple[str, int, int]],
        told: dict[str, Any],
    ) -> None:
        """What came of one."""
        self._base.execute(
            "UPDATE goods SET state=?, seconds=?, peak=?, files=?, told=?, pid=0 WHERE path=?",
            (state, seconds, peak, json.dumps(files), json.dumps(told, ensure_ascii=False), path),
        )

    @_told
    def first(self, path: str) -> None:
        """This one is run before all others that wait."""
        with _Whole(self._base):
            low = self._base.execute("SELECT MIN(place) FROM goods").fetchone()[0] or 0
            self._base.execute("UPDATE goods SET place=? WHERE path=?", (low - 1, path))

    @_told
    def row(self, path: str) -> Row:
        """One of them. Raises KeyError."""
        found = self._read("WHERE path=?", path)
        if not found:
            raise KeyError(path)
        return found[0]

    @_told
    def all(self) -> list[Row]:
        """All of them, in order."""
        return self._read("ORDER BY place")

    @_told
    def counts(self) -> dict[str, int]:
        """How many are in each state."""
        return dict(self._base.execute("SELECT state, COUNT(*) FROM goods GROUP BY state"))

    def _read(self, rest: str, *values: str) -> list[Row]:
        with closing(
            self._base.execute(
                f"SELECT path, made_of, state, attempt, seconds, peak, files, told FROM goods {rest}", values
            )
        ) as found:
            return [_row_of(*values) for values in found]


def _row_of(
    path: str, made_of: str, state: str, attempt: int, seconds: float, peak: int, files: str, told: str
) -> Row:
    """A row from its columns. Raises ValueError, TypeError."""
    stamps, said = tuple((str(f), int(n), int(t)) for f, n, t in json.loads(files)), json.loads(told)
    if state not in STATES or not isinstance(said, dict):
        raise ValueError(f"{path}: {state}")
    return Row(str(path), str(made_of), state, int(attempt), float(seconds), int(peak), stamps, said)


class _Whole:
    """A change of several rows, whole or not at all."""

    def __init__(self, base: sqlite3.Connection) -> None:
        self.base = base

    def __enter__(self) -> None:
        self.base.execute("BEGIN IMMEDIATE")

    def __exit__(self, kind: object, value: object, trace: object) -> None:
        if kind is None:
            self.base.execute("COMMIT")
        elif self.base.in_transaction:  # a full disk has rolled it back already
            self.base.execute("ROLLBACK")


def _lives(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
