"""Many assets at once, in spawned processes, one asset each."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed

from customs.work.asset import Request, Result, run


def run_all(requests: Sequence[Request], workers: int | None = None) -> Iterator[tuple[int, Result]]:
    """(index, result) of each request as it ends. One failure does not stop the rest."""
    count = min(workers or os.cpu_count() or 1, len(requests))
    if count <= 1:
        yield from ((i, run(r)) for i, r in enumerate(requests))
        return
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(count, mp_context=context) as pool:
        jobs = {pool.submit(run, r): i for i, r in enumerate(requests)}
        for done in as_completed(jobs):
            yield jobs[done], done.result()
