"""Assets worked on by workers of a dask cluster, each in the same watched process as on this machine."""

from __future__ import annotations

import asyncio
import contextlib
import functools
import hashlib
import logging
import multiprocessing
import tempfile
import time
import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import customs
from customs.errors import ClusterError, CustomsError, unforeseen
from customs.later import later
from customs.runs.children import LOOK, Children, Doing, Ended, Limits, Work, stamp
from customs.runs.parcels import Packing, Parcel, lent, unpacked
from customs.work.asset import Request, run

distributed = later("distributed")
Json = dict[str, Any]
LOCAL = "local"
RETRIES = 3
"""Times an asset is tried again whose worker was lost."""
ASK = 2.0
"""Seconds between two times that a worker asks whether the run still wants what it does."""
WAIT, ANSWER = 30.0, 10.0
"""Seconds workers are waited for, and a scheduler to answer."""


@dataclass(kw_only=True)
class Task(Doing):
    """One asset on a worker."""

    future: Any


class Remote:
    """The workers of a cluster at `address` (or some of this machine, for "local"); as `Children`. Raises ClusterError where it cannot be reached,
    has no workers, or workers of another Customs only. Where workers do not see the files of `requests`, or the folder `out` (which has to be
    there), files are sent along, and packages come back.
    """

    def __init__(
        self,
        address: str,
        limits: Limits,
        requests: Sequence[Request],
        out: Path,
        workers: int | None = None,
        work: Work = run,
        wait: float = WAIT,
    ) -> None:
        self.limits, self.work = limits, work
        self._cluster: Any = None
        self.client = self._connected(address, workers, wait)
        try:
            self.good = self._of_this_edition(wait)
            self.sends = not self._see(requests, out)
            if self.sends and any(r.kit is not None for r in requests):
                raise ClusterError(
                    "workers do not see these folders, and so no kit's folder",
                    "folders that are shared with them",
                    "Share them, or run without --cluster.",
                )
        except BaseException:
            self._shut()
            raise
        self._stop = distributed.Event(f"customs-{uuid.uuid4().hex}", client=self.client)
        self._running: dict[str, Task] = {}
        self._packing, self._unsent = Packing(), list[Ended]()

    def _connected(self, address: str, workers: int | None, wait: float) -> Any:
        # What goes wrong is said by us; its own log is for its own console.
        logging.getLogger("distributed").setLevel(logging.CRITICAL)
        try:
            if address != LOCAL:
                return distributed.Client(address, timeout=min(wait, ANSWER))
            self._cluster = distributed.LocalCluster(
                n_workers=workers or multiprocessing.cpu_count(),
                threads_per_worker=1,
                dashboard_address="127.0.0.1:0",
                silence_logs=50,
            )
            return distributed.Client(self._cluster)
        except ImportError:
            raise ClusterError(
                "dask.distributed is not installed",
                "the extra customs[cluster]",
                "Install it, or run without --cluster.",
            ) from None
        except (OSError, ValueError, TimeoutError) as problem:
            raise ClusterError(
                f"the cluster at {address} cannot be reached ({problem})",
                "a scheduler that runs",
                "Start it, or mend --cluster.",
            ) from None

    def _of_this_edition(self, wait: float) -> list[str]:
        """Addresses of workers that have this very Customs and these rules."""
        try:
            self.client.wait_for_workers(1, timeout=wait)
        except TimeoutError:
            raise ClusterError(
                "the cluster has no workers",
                "one at least",
                "Start workers, as the page Recipes of the guide says.",
            ) from None
        mine = said_edition()
        told = self.client.run(said_edition, on_error="return")
        good = [a for a, said in told.items() if said == mine]
        if not good:
            others = sorted(
                {said[0] if isinstance(said, tuple) else f"none ({said})" for said in told.values()}
            )
            raise ClusterError(
                f"workers of another Customs: {', '.join(others)}",
                f"{mine[0]} with the same rules",
                "Install this version on them.",
            )
        return good

    def _see(self, requests: Sequence[Request], out: Path) -> bool:
        """True where all workers see the sources as they are here, and the very folder packages go to."""
        with tempfile.NamedTemporaryFile(dir=out, prefix=".customs-seen-") as token:
            places = [
                token.name,
                *(str(p) for r in requests[:: max(1, len(requests) // 20)] for p in (r.path, r.kit) if p),
            ]
            mine = stamps(places)
            return all(told == mine for told in self.client.run(stamps, places, workers=self.good).values())

    @property
    def slots(self) -> int:
        """Assets that may be worked on at once."""
        known = self.client.scheduler_info(n_workers=-1)["workers"]
        return max(1, sum(int(known[a]["nthreads"]) for a in self.good if a in known))

    @property
    def running(self) -> list[Doing]:
        """What was asked for and has not ended."""
        return [*self._running.values(), *(e.child for e in self._unsent)]

    def start(self, request: Request) -> Task:
        """One asset for whichever worker has time; its files go along where workers do not see them."""
        try:
            parcel = self._packing.packed(request) if self.sends else None
        except (CustomsError, OSError) as problem:
            # A source that is gone, say: that is this asset's fault alone.
            task = Task(request=request, future=None, doing="Sending its files")
            self._unsent.append(Ended(task, "well", refused(request, problem, 3)))
            return task
        plain = lent(request) if self.sends else request
        future = self.client.submit(
            work_on, plain, self.limits, self.work, said_edition(), parcel, self._stop.name,
            pure=False, retries=RETRIES, workers=self.good, allow_other_workers=True,
        )  # fmt: skip
        task = Task(request=request, future=future, doing="On the cluster")
        self._running[future.key] = task
        return task

    def ended(self, wait: float = LOOK) -> Iterator[Ended]:
        """Those that end within `wait` seconds."""
        while self._unsent:
            yield self._unsent.pop()
        if not self._running:
            return
        with contextlib.suppress(TimeoutError):
            distributed.wait(
                [t.future for t in self._running.values()], timeout=wait, return_when="FIRST_COMPLETED"
            )
        for key, task in list(self._running.items()):
            if task.future.done():
                del self._running[key]
                yield self._gone(task)

    def _gone(self, task: Task) -> Ended:
        try:
            told: Json = task.future.result()
        except (Exception, asyncio.CancelledError) as problem:  # noqa: BLE001 (whatever the cluster says of a task it lost)
            task.doing = f"on the cluster ({type(problem).__name__}: {problem})"
            return Ended(task, "died", None)
        finally:
            task.future.release()
        task.peak, task.doing = int(told["peak"]), str(told["doing"])
        handed = told["handed"]
        if self.sends and handed is not None:
            self._at_home(handed, task.request, told["package"])
        return Ended(task, told["how"], handed, int(told["signal"]))

    def _at_home(self, handed: Json, request: Request, package: bytes | None) -> None:
        """What a worker handed over, of the files as they lie here, its package in its place."""
        result = handed["result"]
        result["file"] = str(request.path)
        handed["files"] = [list(stamp(p)) for p in self._packing.needed(request)]
        if package is None:
            return
        try:
            result["package"] = str(unpacked(package, request))
        except (CustomsError, OSError, ValueError) as problem:
            result |= {"package": None} | refused(request, problem, 1)["result"]
            handed["code"] = 1

    def close(self) -> None:
        """What still runs is ended; workers of this machine too."""
        with contextlib.suppress(Exception):
            self._stop.set()
            self.client.cancel([t.future for t in self._running.values()])
        self._running.clear()
        self._packing.close()
        self._shut()

    def _shut(self) -> None:
        with contextlib.suppress(Exception):
            self.client.close()
        if self._cluster is not None:
            self._cluster.close()


def refused(request: Request, problem: Exception, code: int) -> Json:
    """What is handed over of an asset that could not be sent, or whose package could not be put in its place."""
    known = problem if isinstance(problem, CustomsError) else unforeseen(problem, request.path)
    return {"result": {"error": known.as_dict(), "file": str(request.path)}, "code": code, "files": []}


def stamps(places: Sequence[str]) -> list[tuple[str, int, int]]:
    """Stamps of files."""
    return [stamp(Path(p)) for p in places]


def said_edition() -> tuple[str, str]:
    """(version of Customs, what tells its rules and steps)."""
    return customs.__version__, program()


@functools.cache
def program() -> str:
    """Tells this program from any other by what stands in its files, wherever they lie."""
    root, told = Path(customs.__file__).parent, hashlib.sha256()
    for path in sorted(p for p in root.rglob("*") if p.suffix in (".py", ".toml", ".json", ".html")):
        told.update(f"{path.relative_to(root)}\0".encode() + path.read_bytes() + b"\0")
    return told.hexdigest()[:16]


def work_on(
    request: Request, limits: Limits, work: Work, expected: tuple[str, str], parcel: Parcel | None, stop: str
) -> Json:
    """On a worker: one asset in a watched process, and how that ended."""
    if said_edition() != expected:
        raise RuntimeError(
            f"this worker has Customs {said_edition()[0]}, the run is of {expected[0]} and its rules"
        )
    # Workers are daemons to their keeper, which may have no children; this one sees to its own.
    multiprocessing.current_process()._config["daemon"] = False  # type: ignore[attr-defined]
    with contextlib.ExitStack() as stack:
        if parcel is not None:
            request = parcel.laid_out(request, stack)
        children = Children(limits, work)
        stack.callback(children.close)
        children.start(request)
        found = _watched(children, stop)
        told: Json = {
            "how": found.how, "handed": found.handed, "signal": found.signal, "peak": found.child.peak, "doing": found.child.doing,
            "package": None,
        }  # fmt: skip
        folder = ((found.handed or {}).get("result") or {}).get("package")
        if parcel is not None and folder:
            told["package"] = parcel.back(Path(folder))
        return told


def _watched(children: Children, stop: str) -> Ended:
    """How the only child ends."""
    asked = time.monotonic()
    while True:
        for ended in children.ended():
            return ended
        if time.monotonic() - asked > ASK:
            asked = time.monotonic()
            with contextlib.suppress(Exception):
                if distributed.Event(stop).is_set():
                    return children.cancel()[0]
