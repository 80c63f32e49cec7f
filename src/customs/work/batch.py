"""Many assets at once, in spawned processes, one asset each."""

from __future__ import annotations

import multiprocessing
import os
import re
import threading
from collections import Counter
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path

from customs.errors import CustomsError, ToolError, unforeseen
from customs.intake.scan import Model
from customs.ledger.ledger import refused
from customs.work.asset import Request, Result, run


def package_folders(entries: Sequence[Model]) -> list[str]:
    """For each file the folder its package goes to, "" for one of the asset's own name.

    Files whose names would meet keep the folders they lie in; those that meet all the same are told apart by
    number.
    """
    plain = [re.sub(r"[^a-z0-9]+", "_", e.path.stem.lower()) for e in entries]
    many = {n for n, count in Counter(plain).items() if count > 1}
    out, taken = [], set[str]()
    for entry, name in zip(entries, plain):
        if name not in many:
            out.append("")
            continue
        own = Path(entry.shown).parent / entry.path.stem
        folder, number = own.as_posix(), 1
        while folder.lower() in taken:
            number += 1
            folder = f"{own.as_posix()}_{number}"
        taken.add(folder.lower())
        out.append(folder)
    return out


def run_all(requests: Sequence[Request], workers: int | None = None) -> Iterator[tuple[int, Result]]:
    """(index, result) of each request as it ends. One failure does not stop the rest, nor does the death of a
    process.
    """
    count = min(workers or os.cpu_count() or 1, len(requests))
    if count <= 1:
        yield from ((i, run(r)) for i, r in enumerate(requests))
        return
    crew = _Crew()
    with ThreadPoolExecutor(count) as threads:
        try:
            jobs = {threads.submit(crew.run, r): i for i, r in enumerate(requests)}
            for done in as_completed(jobs):
                yield jobs[done], done.result()
        finally:
            for job in jobs:
                job.cancel()
            crew.dismiss()


class _Crew:
    """A process for each thread that asks: whose process dies is known, and it alone is made anew."""

    def __init__(self) -> None:
        self._own, self._all = threading.local(), list[ProcessPoolExecutor]()

    def run(self, request: Request) -> Result:
        """`run` of one request in this thread's process."""
        pool: ProcessPoolExecutor | None = getattr(self._own, "pool", None)
        if pool is None:
            pool = self._own.pool = ProcessPoolExecutor(1, mp_context=multiprocessing.get_context("spawn"))
            self._all.append(pool)
        try:
            return pool.submit(run, request).result()
        except BrokenProcessPool:
            self._own.pool = None
            problem: CustomsError = ToolError(
                "its process ended before it was done",
                "an end of its own",
                "It may have run out of memory: try it alone, or in parts.",
                request.path,
            )
        except Exception as found:  # noqa: BLE001 (what could not be sent to the process, or back)
            problem = unforeseen(found, request.path)
        return Result(request.path, refused(problem), error=problem, name=request.path.stem)

    def dismiss(self) -> None:
        """End all processes."""
        for pool in self._all:
            pool.shutdown(cancel_futures=True)
