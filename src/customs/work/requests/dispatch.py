"""Dispatching: the package is written, landed, and only then put in its place."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from customs.dispatch.dispatch import Goods, dispatch
from customs.dispatch.writer import Written
from customs.errors import CustomsError, WriteError
from customs.job import Job
from customs.landing.log import Log
from customs.ledger.ledger import judge
from customs.sheet.model import Sheet
from customs.work.requests.evaluate import Evaluated
from customs.work.requests.land import LandRequest, run_land


@dataclass(frozen=True, eq=False)
class DispatchRequest:
    """An asset as evaluated, to a folder of its name below `out`, or of the name `folder`."""

    done: Evaluated
    sheet: Sheet
    out: Path
    replace_existing: bool = False
    folder: str = ""


@dataclass(frozen=True, eq=False)
class Dispatched:
    """The package in its place, and what the landing said of it there."""

    written: Written
    log: Log

    @property
    def folder(self) -> Path:
        """Where it is."""
        return self.written.folder


def run_dispatch(request: DispatchRequest, job: Job | None = None) -> Dispatched:
    """Write, land, and put in place. Raises CustomsError (nothing is put in place then) and Cancelled."""
    done = request.done
    if done.taken is None or done.error is not None:
        raise done.error or CustomsError("was not read", file=done.asset.name)
    logs: list[Log] = []

    def landed(folder: Path) -> None:
        log = run_land(LandRequest(folder, known=request.sheet)).log
        logs.append(log)
        if not log.accepted:
            raise refusal(log, done.asset.name)

    source = {**done.taken.source(), "name": Path(done.asset.source).name}
    ledger = done.ledger
    if done.recalled:
        # What leaves is judged by what is here now; an answer kept from before is only for looking at.
        waivers = done.asset.waivers
        ledger = judge(done.taken.scene, done.passed, request.sheet, done.about, waivers)
    goods = Goods(done.taken.scene, done.passed, ledger, request.sheet, done.about, source)
    written = dispatch(goods, request.out, landed, job, request.replace_existing, request.folder)
    return Dispatched(written, logs[-1])


def refusal(log: Log, name: str) -> WriteError:
    """The error of a package its own landing refuses."""
    lines = [line for line in log.lines if line.level == "refusal"]
    said = "; ".join(f"{line.file}: {line.text}" for line in lines[:3])
    more = f" and {len(lines) - 3} more" if len(lines) > 3 else ""
    return WriteError(
        f"the landing refuses what was written ({said}{more})",
        "a package the destination takes",
        "Nothing was put in place. Change the stop that concerns it and dispatch again.",
        name,
    )
