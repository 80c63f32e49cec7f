"""A process for each asset, watched: one that dies, hangs or takes too much memory takes nothing else along."""

from __future__ import annotations

import json
import multiprocessing
import multiprocessing.connection
import os
import resource
import signal
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from pathlib import Path
from stat import S_ISREG
from typing import Any, Literal, Protocol

from customs.errors import unforeseen
from customs.job import Job
from customs.memory import resident
from customs.recipes.recipe import Decided, plain_tables
from customs.work.asset import Request, Result, run
from customs.work.recipes import bound_values

Json = dict[str, Any]
Ending = Literal["well", "died", "late", "memory", "cancelled"]
Work = Callable[[Request, Job], Result]
LOOK = 0.1
"""Seconds between two looks at what runs."""
PRELOAD = (
    "customs.cli",
    "customs.runs.children",
    "customs.work.requests.dispatch",
    "customs.ledger.left",
    "customs.formats.gltf.read",
    "scipy.spatial",
    "PIL.Image",
)
"""Loaded once, before the first asset: every child starts with them. What starts the command is imported by every child."""


@dataclass(frozen=True)
class Limits:
    """What one asset may cost: seconds, and bytes of resident memory."""

    seconds: float = 900.0
    memory: int = 8 << 30


@dataclass(kw_only=True)
class Doing:
    """One asset that is worked on: since when (seconds, monotonic), with how much memory (bytes), how far it is (0..1), and what it does."""

    request: Request
    began: float = field(default_factory=time.monotonic)
    peak: int = 0
    share: float = 0.0
    doing: str = ""

    @property
    def seconds(self) -> float:
        """For how long."""
        return time.monotonic() - self.began


@dataclass(kw_only=True)
class Child(Doing):
    """One asset's process."""

    process: Any
    heard: Connection
    place: Path


@dataclass(frozen=True)
class Ended:
    """How an asset's process ended, and what it handed over: {"result": …, "files": …}, None where it could not."""

    child: Doing
    how: Ending
    handed: Json | None
    signal: int = 0


def _child(work: Work, request: Request, place: str, told: Connection) -> None:
    """In the child: one asset, handed over as JSON."""
    # A child is ended by who started it, not by a key pressed in the terminal both share.
    signal.signal(signal.SIGINT, signal.SIG_IGN)

    def progress(share: float, text: str) -> None:
        try:
            told.send((share, text))
        except OSError:
            os._exit(1)

    result = work(request, Job(progress))
    handed = {
        "result": result.as_dict() | {"fixes": fixes(result)}, "code": result.code, "files": [stamp(p) for p in result.files],
        "peak": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss << 10,
    }  # fmt: skip
    part = Path(place + ".part")
    part.write_text(json.dumps(handed, ensure_ascii=False, default=str), "utf-8")
    part.replace(place)


def fixes(result: Result) -> dict[str, Json]:
    """Steps that would clear open rows, by the rows' ids, as a recipe says them; those that name parts of that one file are none."""
    found = ((r.id, r.remedy) for r in result.ledger.open() if r.remedy is not None)
    return {
        id_: Decided(step=fix.step, settings=plain_tables(dict(fix.values))).model_dump()
        for id_, fix in found
        if not bound_values(dict(fix.values))
    }


def stamp(path: Path) -> tuple[str, int, int]:
    """(path, bytes, nanoseconds of its last change) of a file, of the archive it lies in where it lies in one; −1 where it is gone."""
    for place in (path, *path.parents):
        try:
            found = place.stat()
        except OSError:
            continue
        if S_ISREG(found.st_mode):
            return str(path), found.st_size, found.st_mtime_ns
        break
    return str(path), -1, -1


class Workers(Protocol):
    """Where assets are worked on: in processes of this machine, or of others."""

    @property
    def running(self) -> Sequence[Doing]:
        """What is worked on now."""

    def start(self, request: Request) -> object:
        """Begin one more."""

    def ended(self, wait: float = ...) -> Iterator[Ended]:
        """Those that end within `wait` seconds."""

    def close(self) -> None:
        """End all that is worked on."""


class Children:
    """Starts children and tells how they end; `work` is what each does, a function of a module."""

    def __init__(self, limits: Limits, work: Work = run) -> None:
        self.limits, self.work = limits, work
        self.running: list[Child] = []
        self._context = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload(list(PRELOAD))
        self._folder = tempfile.TemporaryDirectory(prefix="customs-run-")
        self._count = 0

    def start(self, request: Request) -> Child:
        """A process for one asset."""
        self._count += 1
        place = Path(self._folder.name) / str(self._count)
        heard, told = self._context.Pipe(duplex=False)
        process = self._context.Process(
            target=_child, args=(self.work, request, str(place), told), daemon=False
        )
        process.start()
        told.close()
        child = Child(request=request, process=process, heard=heard, place=place)
        self.running.append(child)
        return child

    def ended(self, wait: float = LOOK) -> Iterator[Ended]:
        """Those that end within `wait` seconds; the others are looked at."""
        handles = [c.process.sentinel for c in self.running] + [c.heard for c in self.running]
        multiprocessing.connection.wait(handles, wait)
        for child in list(self.running):
            self._listen(child)
            how = self._over(child)
            if how is not None:
                self.running.remove(child)
                yield self._gone(child, how)

    def _listen(self, child: Child) -> None:
        try:
            while child.heard.poll():
                child.share, child.doing = child.heard.recv()
        except (EOFError, OSError):
            return

    def _over(self, child: Child) -> Ending | None:
        if child.process.exitcode is not None:
            return "well" if child.place.is_file() else "died"
        child.peak = max(child.peak, resident(child.process.pid))
        if child.seconds > self.limits.seconds:
            return "late"
        return "memory" if child.peak > self.limits.memory else None

    def _gone(self, child: Child, how: Ending) -> Ended:
        child.process.kill()
        child.process.join()
        child.heard.close()
        code = child.process.exitcode or 0
        handed = None
        if how == "well":
            try:
                handed = json.loads(child.place.read_text("utf-8"))
                child.peak = max(child.peak, int(handed["peak"]))
            except (OSError, ValueError, KeyError) as problem:
                handed = {
                    "result": {"error": unforeseen(problem, child.request.path).as_dict()},
                    "code": 3,
                    "files": [],
                }
            child.place.unlink(missing_ok=True)
        child.process.close()
        return Ended(child, how, handed, -code if code < 0 and how == "died" else 0)

    def cancel(self) -> list[Ended]:
        """End all that run, at once."""
        out = [self._gone(c, "cancelled") for c in self.running]
        self.running.clear()
        return out

    def close(self) -> None:
        """End all that run; nothing is left behind."""
        self.cancel()
        self._folder.cleanup()
