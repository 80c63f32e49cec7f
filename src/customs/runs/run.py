"""A run: many goods through taking, planning, judging, dispatch and landing, as many side by side as are asked for, kept as rows."""

from __future__ import annotations

import hashlib
import json
import signal
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from customs.kernels.cores import cores
from customs.runs.children import Children, Doing, Ended, Limits, Work, Workers, stamp
from customs.runs.rows import ENDED, Row, Rows, State
from customs.sheet.load import sheet_digest
from customs.work.asset import Request, run
from customs.work.judged import edition

Json = dict[str, Any]
USUAL = Limits()
RENEW = 5.0
"""Seconds between two times that a claim is renewed."""


@dataclass(frozen=True)
class Told:
    """One asset that has ended: its row, and whether it was run now or stands as it was."""

    row: Row
    fresh: bool


def made_of(request: Request) -> str:
    """Tells all that an asset's package hangs on besides its files: the sheet, the origin, what the recipe decides, this program."""
    said = [
        edition(),
        sheet_digest(request.sheet),
        request.origin.model_dump(mode="json") if request.origin is not None else None,
        [s.model_dump(mode="json") for s in request.stops],
        request.goods.model_dump(mode="json"),
        [list(f) for f in request.form],
        list(request.settings),
        str(request.kit),
        dict(request.given),
        request.rights.model_dump(),
        request.donor.digest if request.donor is not None else "",
        request.folder,
    ]
    return hashlib.sha256(json.dumps(said, sort_keys=True, default=str).encode()).hexdigest()[:32]


class Run:
    """The goods of one run; `cancel` and `pause` may be set from anywhere. Rows are kept in the folder everything is written to."""

    def __init__(
        self,
        requests: Sequence[Request],
        out: Path,
        limits: Limits = USUAL,
        workers: int | None = None,
        work: Work = run,
        children: Workers | None = None,
    ) -> None:
        self.requests = {str(r.path): r for r in requests}
        self.rows = Rows(out)
        self.workers = max(1, workers or cores())
        self.limits = limits
        self.children: Workers = children or Children(limits, work)
        self.pause = self.cancel = False
        self._renewed = 0.0
        self.rows.put([(p, made_of(r)) for p, r in self.requests.items()])
        self.rows.again([r.path for r in self.rows.all() if r.state in ENDED and not stands(r)])

    @property
    def running(self) -> Sequence[Doing]:
        """What runs now."""
        return self.children.running

    def results(self, each: Callable[[], object] = lambda: None) -> Iterator[Told]:
        """Every asset as it ends, those that stand as they were first; `each` is called at every look. When it is cancelled, or left, what
        ran waits again.
        """
        try:
            yield from (Told(r, False) for r in self.rows.all() if r.state in ENDED)
            while not self.cancel:
                while (
                    not self.pause
                    and len(self.running) < self.workers
                    and (row := self.rows.claim(self.requests))
                ):
                    self.children.start(self._asked(row))
                if not self.running and not self.pause:
                    return
                for ended in self.children.ended():
                    yield Told(self._kept(ended), True)
                self._renew()
                each()
        finally:
            self.close()

    def _asked(self, row: Row) -> Request:
        """What is asked for one; a package this very run has delivered before is written anew where something has changed."""
        request = self.requests[row.path]
        return replace(request, replace_existing=True) if delivered(row) else request

    def _renew(self) -> None:
        if time.monotonic() - self._renewed > RENEW:
            self._renewed = time.monotonic()
            self.rows.renew()

    def _kept(self, ended: Ended) -> Row:
        path = str(ended.child.request.path)
        files = tuple(tuple(f) for f in (ended.handed or {}).get("files", [])) or (stamp(Path(path)),)
        state, told = outcome(ended, self.limits)
        if (before := delivered(self.rows.row(path))) and not told.get("package"):
            told["delivered"] = before
        self.rows.end(path, state, round(ended.child.seconds, 3), ended.child.peak, files, told)
        return self.rows.row(path)

    def close(self) -> None:
        """End what runs; it waits for the next time."""
        self.children.close()
        self.rows.let_go()
        self.rows.close()


def delivered(row: Row) -> str:
    """The package this run has delivered of an asset, be it before; "" for none."""
    told = row.told or {}
    return str(told.get("package") or told.get("delivered") or "")


def stands(row: Row) -> bool:
    """True where its files are as they were, and so is its package. What could be read and not be written is tried again: there may be room now."""
    if row.state == "failed" and (row.told or {}).get("route"):
        return False
    if not row.files or any(n < 0 or stamp(Path(f)) != (f, n, t) for f, n, t in row.files):
        return False
    package = (row.told or {}).get("package")
    return row.state != "done" or (bool(package) and (Path(str(package)) / "docket.json").is_file())


def outcome(ended: Ended, limits: Limits) -> tuple[State, Json]:
    """(the state an asset ended in, what is told of it)."""
    if ended.handed is None:
        return "broken", {"error": {"found": broken(ended, limits), "file": str(ended.child.request.path)}}
    told, code = _short(ended.handed["result"]), int(ended.handed["code"])
    if told.get("skipped"):
        return "skipped", told
    if told.get("error"):
        return "failed", told
    return ("held" if code else "done"), told


def _short(told: Json) -> Json:
    """What is told of an asset without what is good anyway: of thousands of goods everything is kept."""
    rows = [r for r in told.get("rows", []) if r["verdict"] != "cleared" or r.get("waived")]
    return {k: v for k, v in told.items() if k not in ("rows", "queries")} | {"rows": rows}


def broken(ended: Ended, limits: Limits) -> str:
    """What became of a process that handed nothing over."""
    doing = f" while {ended.child.doing.lower()}" if ended.child.doing else ""
    if ended.how == "late":
        return f"still not done after {limits.seconds:g} s{doing}"
    if ended.how == "memory":
        return (
            f"took {ended.child.peak / 1e9:.1f} GB of memory, {limits.memory / 1e9:.1f} GB are given{doing}"
        )
    name = signal.Signals(ended.signal).name if ended.signal else "by itself"
    return f"its process ended ({name}){doing}"
