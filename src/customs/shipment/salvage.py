"""A damaged shipment: what can still be read of it goes into a new file in its place; the damaged one is kept
beside it.
"""

from __future__ import annotations

import json
import os
import sqlite3
import time
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from customs.damage import BROKEN
from customs.shipment.parcels import Parcels
from customs.shipment.state import State
from customs.words import many

LABEL = 60
"""Characters of a label that are shown."""
MOST_TRIED = 100_000
"""Numbers tried where the file cannot say how many decisions it holds."""
MOST_MISSED = 1000
"""Numbers tried in a row that lead nowhere before the end of the decisions is taken to be reached."""


@dataclass(frozen=True)
class Saved:
    """What came of it: readable states as rows, blobs, the number of the current one, and in words what is
    lost.
    """

    states: tuple[tuple[Any, ...], ...]
    blobs: tuple[tuple[str, bytes], ...]
    current: int
    lost: str


def salvage(path: Path) -> Saved | None:
    """What can be read of the shipment `path`, or None when that is no state at all. Nothing is changed."""
    try:
        with closing(sqlite3.connect(path)) as db:
            said = _one(db, "SELECT value FROM meta WHERE key = 'current'")
            wanted = int(said) if isinstance(said, str) and said.isdecimal() and len(said) < 9 else 0
            # The number is the file's own word: no further than there are decisions, where that can be told.
            top = _one(db, "SELECT MAX(id) FROM states")
            blobs, gone = _blobs(db)
            states, broken, lost = _states(
                db, min(wanted, top if isinstance(top, int) else MOST_TRIED), dict(blobs)
            )
            if not states:
                return None
            known = {int(s[0]): s for s in states}
            now = wanted if wanted in known else max(known)
    except (*BROKEN, OSError):
        return None
    stands = (
        f"the last among them, so it stands as of “{known[now][2][:LABEL]}”"
        if now != wanted
        else "not the last among them"
    )
    parts = [f"{many(broken, 'decision')} cannot be read, {stands}"] if broken or now != wanted else []
    parts += [f"{many(lost[now], 'asset')} of it cannot be read"] if now in lost else []
    parts += [f"{many(gone, 'kept file')} cannot be read"] if gone else []
    # A state whose parent is gone becomes a beginning.
    rows = tuple((i, p if p in known else None, label, made, body) for i, p, label, made, body in states)
    return Saved(rows, blobs, now, "; ".join(parts) or "nothing: all decisions could be read")


def _one(db: sqlite3.Connection, statement: str, *values: Any) -> Any:
    try:
        row = db.execute(statement, values).fetchone()
    except BROKEN:
        return None
    return row[0] if row else None


def _states(
    db: sqlite3.Connection, last: int, bodies: dict[str, bytes]
) -> tuple[list[tuple[Any, ...]], int, dict[int, int]]:
    """(readable rows, how many are not, by number the assets whose bodies are gone from it) where number
    `last` was current. Asked for one by one, as a bad page ends a whole query.
    """
    out: list[tuple[Any, ...]] = []
    broken, lost, number = list[int](), dict[int, int](), 0
    # The state before is held, as most of its assets are those of the next.
    parcels, held = Parcels(bodies.get), list[State]()
    while number < last or number - (int(out[-1][0]) if out else 0) < MOST_MISSED:
        number += 1
        try:
            row = db.execute(
                "SELECT id, parent, label, made, body FROM states WHERE id = ?", (number,)
            ).fetchone()
        except BROKEN:
            broken.append(number)
            continue
        if row is not None:
            try:
                table = json.loads(row[4])
                missing = [a for a in table.get("goods", ()) if isinstance(a, str) and a not in bodies]
                if missing:
                    table["goods"] = [a for a in table["goods"] if a not in missing]
                    lost[number] = len(missing)
                held[:] = [State.from_dict(table, parcels.unpacked)]
                out.append((*row[:4], json.dumps(table) if missing else row[4]))
            except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
                broken.append(number)
                last = max(last, number)
    # Past the last decision a damaged index answers with errors as well: those are no decisions.
    end = max([last, *(int(r[0]) for r in out)])
    return out, sum(n <= end for n in broken), lost


def _blobs(db: sqlite3.Connection) -> tuple[tuple[tuple[str, bytes], ...], int]:
    out, gone = [], 0
    try:
        names = [str(r[0]) for r in db.execute("SELECT digest FROM blobs")]
    except BROKEN:
        return (), 0
    for name in names:
        body = _one(db, "SELECT body FROM blobs WHERE digest = ?", name)
        if isinstance(body, bytes):
            out.append((name, body))
        else:
            gone += 1
    return tuple(out), gone


def put_aside(path: Path) -> Path:
    """The damaged file under a free name beside its own. Raises OSError."""
    stamp = time.strftime("%Y%m%d-%H%M%S")
    aside = path.with_name(f"{path.stem}.damaged-{stamp}{path.suffix}")
    os.rename(path, aside)
    return aside
