"""`NAME.customs`: an SQLite application file of immutable states; undo is moving along them."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import shutil
import sqlite3
import time
from collections.abc import Callable, Sequence
from contextlib import closing
from pathlib import Path
from typing import IO, Any
from urllib.parse import quote

from customs.damage import BROKEN, in_the_way
from customs.errors import ShipmentError
from customs.parts import part_file, put_new
from customs.shipment.history import Decision, History, keep_pictures
from customs.shipment.making import APPLICATION_ID, MIGRATIONS, SCHEMA, fill, make_whole
from customs.shipment.parcels import Parcels, body_of, name_of
from customs.shipment.salvage import put_aside, salvage
from customs.shipment.state import Asset, State


class DamagedError(ShipmentError):
    """What a shipment says cannot be read."""


class Shipment:
    """An open shipment. `writable` is False in a second copy of the application, or where the file cannot be
    written.
    """

    def __init__(self, path: Path) -> None:
        # Where a link leads: one file has one lock and one store, by whatever name it is opened.
        self.path = Path(os.path.realpath(path))
        self.lost = ""
        """In words what could not be read of a damaged file; the rest is here."""
        self._lock: IO[str] | None = None
        self.writable = self._take_lock()
        self._parcels = Parcels(self.blob)
        self.history = History(self._rows)
        try:
            self._db = self._connect()
            self.state = self._load()
        except DamagedError:
            self.state = self._saved()
        except ShipmentError:
            self._release()
            raise
        if self.writable:
            # Nobody else writes here: what is half copied was being copied when the program was killed.
            for half in self.store.glob(".taking-*"):
                shutil.rmtree(half, ignore_errors=True)

    @classmethod
    def create(cls, path: Path, state: State | None = None) -> Shipment:
        """A new file. Raises ShipmentError when there is one already or it cannot be made."""
        whole = state or State()
        first = (
            1,
            None,
            "New shipment",
            time.time(),
            json.dumps(whole.as_dict([name_of(a) for a in whole.goods])),
        )
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            make_whole(path, (first,), [(name_of(a), body_of(a)) for a in whole.goods], 1)
        except FileExistsError:
            raise ShipmentError(
                "there is a file of that name", "a free name", "Open it, or choose another.", path
            ) from None
        except (OSError, *BROKEN) as problem:
            raise ShipmentError(
                f"cannot be made ({problem})", "a folder that can be written", file=path
            ) from None
        return cls(path)

    @property
    def store(self) -> Path:
        """Folder of the copies of sources, beside the file."""
        return self.path.with_suffix(".store")

    def edit(self, label: str, change: Callable[[State], State]) -> State:
        """One decision: a new state after the current one, in one transaction. Raises ShipmentError."""
        new = change(self.state)
        if new is self.state:
            return new
        names = self._parcels.names(new.goods)
        body, fresh = json.dumps(new.as_dict(names)), self._parcels.new(new.goods, names)

        def write(db: sqlite3.Connection) -> None:
            db.executemany("INSERT OR IGNORE INTO blobs VALUES (?, ?)", fresh)
            made = db.execute(
                "INSERT INTO states (parent, label, made, body) VALUES (?, ?, ?, ?)",
                (self._current(), label, time.time(), body),
            )
            db.execute("UPDATE meta SET value = ? WHERE key = 'current'", (str(made.lastrowid),))

        self._transaction(write)
        self._parcels.stored(new.goods, names)
        self.state = new
        return new

    @property
    def place(self) -> int:
        """The number of the state it is at: another one after every decision."""
        return self._current()

    def refresh(self, change: Callable[[State], State]) -> State:
        """The current state said anew, where what it says stays the same: nothing to undo. Raises
        ShipmentError.
        """
        new = change(self.state)
        names = self._parcels.names(new.goods)
        body, fresh = json.dumps(new.as_dict(names)), self._parcels.new(new.goods, names)

        def write(db: sqlite3.Connection) -> None:
            db.executemany("INSERT OR IGNORE INTO blobs VALUES (?, ?)", fresh)
            db.execute("UPDATE states SET body = ? WHERE id = ?", (body, self._current()))

        self._transaction(write)
        self._parcels.stored(new.goods, names)
        self.state = new
        return new

    def undo(self) -> str | None:
        """Back to the state before; the label of what was undone, or None at the beginning."""
        row = self._row("SELECT parent, label FROM states WHERE id = ?", self._current())
        if row is None or row[0] is None:
            return None
        self._go(int(row[0]))
        return str(row[1])

    def redo(self) -> str | None:
        """Forward to the newest state after this one; its label, or None at the end."""
        row = self._newest_child()
        if row is None:
            return None
        self._go(int(row[0]))
        return str(row[1])

    def decisions(self) -> list[Decision]:
        """Every decision there is, the oldest first. Raises ShipmentError."""
        return self.history.decisions(self._current())

    def go(self, decision: Decision) -> None:
        """To the state after any decision; nothing is lost by it. Raises ShipmentError."""
        self._go(decision.number)

    def keep_pictures(self, drawn: Sequence[tuple[Asset, bytes]]) -> bool:
        """How assets look as they are now (PNG), for the history; whether any of it was new and could be kept."""
        with contextlib.suppress(ShipmentError):
            new = [(name_of(a), png) for a, png in drawn]
            new = [(n, png) for n, png in new if self.writable and self.history.picture(n) != png]
            if new:
                self._transaction(lambda db: keep_pictures(db, new))
            return bool(new)
        return False

    def backup(self, into: sqlite3.Connection) -> None:
        """All of it into another file. Raises sqlite3.Error."""
        self._db.backup(into)

    def can_undo(self) -> str:
        """Label of what undo would take back, or ""."""
        with contextlib.suppress(ShipmentError):
            row = self._row("SELECT parent, label FROM states WHERE id = ?", self._current())
            return str(row[1]) if row and row[0] is not None else ""
        return ""

    def can_redo(self) -> str:
        """Label of what redo would do again, or ""."""
        with contextlib.suppress(ShipmentError):
            row = self._newest_child()
            return str(row[1]) if row else ""
        return ""

    def blob(self, digest: str) -> bytes | None:
        """Bytes kept under a digest."""
        row = self._row("SELECT body FROM blobs WHERE digest = ?", digest)
        return bytes(row[0]) if row else None

    def close(self) -> None:
        """Close the file and let others write."""
        if self.writable:
            with contextlib.suppress(sqlite3.Error):
                self._db.execute("PRAGMA journal_mode=DELETE")
        self._db.close()
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    # -- within

    def _take_lock(self) -> bool:
        """An advisory lock the system drops when the process ends, however it ends."""
        try:
            self._lock = open(self.path.with_name(f".{self.path.name}.lock"), "w", encoding="utf-8")  # noqa: SIM115
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            if self._lock is not None:
                self._lock.close()
            self._lock = None
            return False
        return os.access(self.path, os.W_OK)

    def _connect(self) -> sqlite3.Connection:
        if not self.path.is_file():
            self._release()
            raise ShipmentError(
                "there is no such file", "a shipment", "Choose another, or start a new one.", self.path
            )
        try:
            mode = "rw" if self.writable else "ro"
            # As it stands in a URI: names may hold # ? % and bytes that are no text.
            name = quote(os.fsencode(self.path))
            db = sqlite3.connect(
                f"file:{name}?mode={mode}", uri=True, isolation_level=None, check_same_thread=False
            )
            version = db.execute("PRAGMA user_version").fetchone()[0]
            owner = db.execute("PRAGMA application_id").fetchone()[0]
        except BROKEN as problem:
            self._release()
            if in_the_way(problem):
                raise self._wrong(problem) from None
            raise ShipmentError(f"is no shipment ({problem})", "a .customs file", file=self.path) from None
        if owner != APPLICATION_ID:
            db.close()
            self._release()
            raise ShipmentError("is no shipment", "a .customs file", "Choose another.", self.path)
        if version > SCHEMA:
            db.close()
            self._release()
            raise ShipmentError(
                f"was made by a newer Customs (file version {version})",
                f"file version {SCHEMA} or less",
                "Open it with that one; nothing was changed.",
                self.path,
            )
        if self.writable:
            self._prepare(db, version)
        return db

    def _prepare(self, db: sqlite3.Connection, version: int) -> None:
        """A file that may be written to, in this edition's form. Raises ShipmentError."""
        if version < SCHEMA and version not in MIGRATIONS:
            db.close()
            raise self._wrong(ValueError(f"file version {version}"))
        try:
            # Safe against a kill at any moment; FULL would only add to what a power cut spares, and the
            # window would wait.
            db.execute("PRAGMA synchronous=NORMAL")
            # The journal stays while the file is open, so that no decision waits for a file to be made and
            # removed.
            db.execute("PRAGMA journal_mode=PERSIST")
            if version < SCHEMA:
                self._keep_copy(db, version)
            for step in range(version, SCHEMA):
                db.executescript(MIGRATIONS[step])
                db.execute(f"PRAGMA user_version={step + 1}")
        except BROKEN as problem:
            db.close()
            raise self._wrong(problem) from None

    def _keep_copy(self, db: sqlite3.Connection, version: int) -> None:
        """The file as it was, beside it, for a program that knows only that version. Raises ShipmentError."""
        place = self.path.with_name(f"{self.path.stem}.version-{version}{self.path.suffix}")
        if os.path.lexists(place):
            return
        try:
            # Whole under its name or not there: a copy that was cut short would be taken for one.
            with part_file(place) as made:
                with closing(sqlite3.connect(made)) as copy:
                    db.backup(copy)
                put_new(made, place)
        except (*BROKEN, OSError) as problem:
            db.close()
            self._release()
            raise ShipmentError(
                f"is of file version {version}, and no copy of it can be kept ({problem})",
                "room and permission beside it",
                "Nothing was changed.",
                self.path,
            ) from None

    def _release(self) -> None:
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    def _saved(self) -> State:
        """What can be read of a damaged file, in a new one in its place where it may be written. Raises
        ShipmentError.
        """
        found = salvage(self.path)
        if found is None:
            self._release()
            raise ShipmentError(
                "is damaged, and no decision in it can be read",
                "a whole shipment",
                "Restore a copy.",
                self.path,
            )
        bodies = dict(found.blobs)
        table = json.loads(next(s[4] for s in found.states if s[0] == found.current))
        state = State.from_dict(table, Parcels(bodies.get).unpacked)
        if not self.writable:
            self.lost = f"This shipment is damaged: {found.lost}. It is open for reading only."
            self._db = sqlite3.connect(":memory:", isolation_level=None, check_same_thread=False)
            fill(self._db, found.states, found.blobs, found.current)
            return state
        try:
            aside = put_aside(self.path)
            make_whole(self.path, found.states, found.blobs, found.current)
        except (OSError, *BROKEN) as problem:
            self._release()
            raise ShipmentError(
                f"is damaged and cannot be made anew ({problem})", "room and permission", file=self.path
            ) from None
        self.lost = f"This shipment was damaged: {found.lost}. The damaged file is kept as {aside.name}."
        self._db = self._connect()
        return state

    def _load(self) -> State:
        try:
            row = self._row("SELECT body FROM states WHERE id = ?", self._current())
            return State.from_dict(json.loads(row[0]), self._parcels.unpacked)
        except ShipmentError:
            self._db.close()
            raise
        except (TypeError, ValueError, KeyError, AttributeError, RecursionError) as problem:
            self._db.close()
            raise self._wrong(problem) from None

    def _wrong(self, problem: Exception) -> ShipmentError:
        """Damage is mended from what can be read; what is only in the way is no damage."""
        if in_the_way(problem):
            return ShipmentError(
                f"cannot be worked on now ({problem})", "nobody else at work on it, room and permission", "Nothing was changed: try again.", self.path,
            )  # fmt: skip
        return DamagedError(f"is damaged ({problem})", "a whole shipment", "Restore a copy.", self.path)

    def _rows(self, query: str, *values: object) -> list[Any]:
        """All rows a query finds. Raises ShipmentError."""
        try:
            return self._db.execute(query, values).fetchall()
        except BROKEN as problem:
            raise self._wrong(problem) from None

    def _row(self, query: str, *values: object) -> Any:
        """The first row a query finds, None for none. Raises ShipmentError."""
        try:
            return self._db.execute(query, values).fetchone()
        except BROKEN as problem:
            raise self._wrong(problem) from None

    def _current(self) -> int:
        row = self._row("SELECT value FROM meta WHERE key = 'current'")
        try:
            return int(row[0])
        except (TypeError, ValueError) as problem:
            raise self._wrong(problem) from None

    def _newest_child(self) -> Any:
        return self._row(
            "SELECT id, label FROM states WHERE parent = ? ORDER BY id DESC LIMIT 1", self._current()
        )

    def _go(self, id_: int) -> None:
        self._transaction(
            lambda db: db.execute("UPDATE meta SET value = ? WHERE key = 'current'", (str(id_),))
        )
        self.state = self._load()

    def _transaction(self, write: Callable[[sqlite3.Connection], object]) -> None:
        if not self.writable:
            raise ShipmentError(
                "is open for reading only",
                "to be open once",
                "Another copy of Customs has it open.",
                self.path,
            )
        try:
            self._db.execute("BEGIN IMMEDIATE")
            write(self._db)
            self._db.execute("COMMIT")
        except BROKEN as problem:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
            raise ShipmentError(
                f"cannot be written ({problem})", "room and permission", file=self.path
            ) from None
