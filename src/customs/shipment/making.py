"""A shipment's file made whole: its tables, and how it gets its name."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from contextlib import closing
from pathlib import Path
from typing import Any

from customs.parts import part_file, put_new

APPLICATION_ID = 0x43757374
SCHEMA = 2
TABLES = """
CREATE TABLE IF NOT EXISTS meta (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS states (
    id INTEGER PRIMARY KEY AUTOINCREMENT, parent INTEGER, label TEXT NOT NULL, made REAL NOT NULL, body TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS blobs (digest TEXT PRIMARY KEY, body BLOB NOT NULL);
"""
MIGRATIONS: dict[int, str] = {1: ""}
"""SQL that brings a file from one schema version to the next. From 1 to 2 states name bodies of assets where
they held them: both are read, so that nothing has to be written anew."""


def make_whole(
    path: Path, states: Sequence[tuple[Any, ...]], blobs: Sequence[tuple[str, bytes]], current: int
) -> None:
    """A whole shipment under a name nobody has, all of it or nothing. Raises OSError (FileExistsError among
    it), sqlite3.Error.
    """
    with part_file(path) as made:
        with closing(sqlite3.connect(made, isolation_level=None)) as db:
            fill(db, states, blobs, current)
        put_new(made, path)


def fill(
    db: sqlite3.Connection,
    states: Sequence[tuple[Any, ...]],
    blobs: Sequence[tuple[str, bytes]],
    current: int,
) -> None:
    """The tables of a new file, with all that is in them. Raises sqlite3.Error."""
    db.executescript(f"PRAGMA application_id={APPLICATION_ID}; PRAGMA user_version={SCHEMA};" + TABLES)
    db.execute("BEGIN")
    db.executemany("INSERT INTO states (id, parent, label, made, body) VALUES (?, ?, ?, ?, ?)", states)
    db.executemany("INSERT INTO blobs VALUES (?, ?)", blobs)
    db.execute("INSERT INTO meta VALUES ('current', ?)", (str(current),))
    db.execute("COMMIT")
