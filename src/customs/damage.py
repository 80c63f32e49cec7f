"""What SQLite says: that a file is damaged, or that something is only in the way."""

from __future__ import annotations

import sqlite3

BROKEN = (sqlite3.Error, UnicodeDecodeError)
"""What comes out of SQLite where something is wrong; names that are no text among it."""
IN_THE_WAY = frozenset(
    {
        sqlite3.SQLITE_PERM, sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED, sqlite3.SQLITE_NOMEM, sqlite3.SQLITE_READONLY, sqlite3.SQLITE_INTERRUPT,
        sqlite3.SQLITE_IOERR, sqlite3.SQLITE_FULL, sqlite3.SQLITE_CANTOPEN,
    }
)  # fmt: skip


def in_the_way(problem: Exception) -> bool:
    """True where the file is not to blame: somebody else works on it, there is no room, it may not be written to."""
    code = getattr(problem, "sqlite_errorcode", None)
    return code is not None and code & 0xFF in IN_THE_WAY
