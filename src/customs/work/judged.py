"""What was judged and planned is kept beside the shipment, so that nothing is asked twice: not when it is
opened again, and not when a destination is gone back to.

An answer is good for an asset as decided, a destination, this edition of the program, and what lies outside
(the person's own files, the donor). It is only ever spared work: where none is there, or it cannot be read or
written, the asset is judged.
"""

from __future__ import annotations

import contextlib
import functools
import hashlib
import json
import os
import sys
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

import customs
from customs.errors import CustomsError
from customs.ledger.ledger import Ledger
from customs.ledger.row import About
from customs.ledger.row_text import known_verdict, ledger_of, ledger_table
from customs.parts import sweep, write_whole
from customs.route.route import Stop
from customs.sheet.load import sheet_digest
from customs.sheet.model import Sheet
from customs.shipment.parcels import name_of
from customs.shipment.state import Asset

FOLDER, END = "judged", ".ledger"
MOST = 4096
"""Answers that are kept; those used longest ago go first."""
LONGEST = 64 * 1024 * 1024
"""Bytes the rows of an answer may unpack to."""
DIGEST = 32
"""Bytes of a SHA-256."""


@dataclass(frozen=True)
class Answer:
    """A kept ledger, the stops it was judged after, and what lay outside then."""

    stops: tuple[Stop, ...]
    ledger: Ledger
    outside: Any
    sources: Any


class Judged:
    """The answers of one shipment, in its `store`. May be asked from any thread."""

    def __init__(self, store: Path) -> None:
        self._folder = store / FOLDER

    def glimpse(self, asset: Asset, sheet: Sheet) -> Ledger | None:
        """The ledger as it was judged last, where the person's files have neither another time nor another
        size: enough to show, and looked at closely afterwards.
        """
        found = self._find("asset", asset, sheet, known_verdict)
        return found.ledger if found is not None and found.sources == _sources(asset) else None

    def ledger(self, asset: Asset, sheet: Sheet, about: About) -> Ledger | None:
        """The ledger of an asset as it stands."""
        found = self._find("asset", asset, sheet)
        return found.ledger if found is not None and found.outside == _outside(about) else None

    def planned(self, asset: Asset, sheet: Sheet, about: About) -> Answer | None:
        """What planning its route anew comes to: stops of a person stay, the plan's own do not matter."""
        found = self._find("plan", unplanned(asset), sheet)
        return found if found is not None and found.outside == _outside(about) else None

    def keep(self, asset: Asset, sheet: Sheet, about: About, ledger: Ledger) -> None:
        """Keep a ledger."""
        self._keep("asset", asset, asset, sheet, about, ledger)

    def keep_plan(self, asked: Asset, planned: Asset, sheet: Sheet, about: About, ledger: Ledger) -> None:
        """Keep what planning `asked` came to."""
        self._keep("plan", unplanned(asked), planned, sheet, about, ledger)

    def sweep(self) -> None:
        """Let go of what was used longest ago."""
        with contextlib.suppress(OSError):
            sweep(self._folder)
            there = sorted(self._folder.iterdir(), key=lambda p: p.stat().st_mtime)
            for path in there[: max(len(there) - MOST, 0)]:
                path.unlink(missing_ok=True)

    # -- within

    def _place(self, kind: str, asset: Asset, sheet: Sheet) -> Path:
        # What a person measured is no matter of a requirement.
        told = f"{kind} {edition()} {sheet_digest(sheet)} {name_of(replace(asset, notes=()))}"
        return self._folder / (hashlib.sha256(told.encode()).hexdigest()[:40] + END)

    def _find(
        self,
        kind: str,
        asset: Asset,
        sheet: Sheet,
        ledger: Callable[[Any, Callable[[], Any]], Ledger] = lambda verdict, rows: ledger_of(rows()),
    ) -> Answer | None:
        place = self._place(kind, asset, sheet)
        try:
            head, rows = _unpacked(place.read_bytes())
            stops = tuple(Stop.from_dict(s) for s in head["stops"])
            found = ledger(head["verdict"], lambda: _rows(rows))
            answer = Answer(stops, found, head["outside"], head["sources"])
            os.utime(place)
        except (OSError, zlib.error, ValueError, KeyError, TypeError, AttributeError, CustomsError):
            return None
        return answer

    def _keep(
        self, kind: str, asked: Asset, asset: Asset, sheet: Sheet, about: About, ledger: Ledger
    ) -> None:
        place = self._place(kind, asked, sheet)
        head = {
            "stops": [s.as_dict() for s in asset.stops],
            "verdict": ledger.verdict if ledger.filled else None,
            "outside": _outside(about),
            "sources": _sources(asset),
        }
        # What cannot be told as JSON, a full disk or a folder that may not be written cost time at the next
        # start, and nothing else.
        with contextlib.suppress(OSError, TypeError, ValueError):
            write_whole(place, _packed(head, ledger_table(ledger)), sweeps=False)


def _packed(head: Mapping[str, Any], rows: Any) -> bytes:
    """A digest of what follows it, a line of what is seen at once, and the rows: of a thousand goods a person
    looks at few, and what is not looked at is not unpacked. Raises ValueError for rows that would not be unpacked again.
    """
    told = json.dumps(rows).encode()
    if len(told) > LONGEST:
        raise ValueError(len(told))
    body = json.dumps(head).encode() + b"\n" + zlib.compress(told, 1)
    return hashlib.sha256(body).digest() + body


def _unpacked(packed: bytes) -> tuple[Any, bytes]:
    """The line, and the rows as they lie there. Raises ValueError for anything else."""
    digest, body = packed[:DIGEST], packed[DIGEST:]
    if hashlib.sha256(body).digest() != digest:
        raise ValueError("another digest")
    head, _, rows = body.partition(b"\n")
    return json.loads(head), rows


def _rows(packed: bytes) -> Any:
    return json.loads(zlib.decompressobj().decompress(packed, LONGEST))


def unplanned(asset: Asset) -> Asset:
    """An asset without the stops a plan put there: what planning anew starts from."""
    return replace(asset, stops=own_stops(asset.stops))


def own_stops(stops: Sequence[Stop]) -> tuple[Stop, ...]:
    """*Arrive*, and the stops a person made."""
    return tuple(s for i, s in enumerate(stops) if i == 0 or s.by == "person")


def _outside(about: About) -> list[Any]:
    """What a ledger hangs on besides the asset and the sheet, as JSON gives it back."""
    return [
        about.source_changed,
        about.donor.digest if about.donor else "",
        sorted(about.selections),
        dict(about.stamps),
        dict(about.form),
        about.kit.as_list() if about.kit is not None else [],
    ]


def _sources(asset: Asset) -> list[Any]:
    """Size and time of the person's own files; None for one that is not there."""
    return [_stamp(Path(f)) for f in asset.files]


def _stamp(path: Path) -> list[int] | None:
    try:
        found = path.stat()
    except OSError:
        return None
    return [found.st_size, found.st_mtime_ns]


@functools.cache
def edition() -> str:
    """Tells this program from any other: an answer of another edition is none."""
    root = Path(customs.__file__).parent
    told = hashlib.sha256(f"{sys.version}{np.__version__}{root}".encode())
    for path in sorted([*root.rglob("*.py"), *root.rglob("*.toml")]):
        told.update(f"{path}{_stamp(path)}".encode())
    return told.hexdigest()[:16]
