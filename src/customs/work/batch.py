"""Many assets at once, in spawned processes, one asset each."""

from __future__ import annotations

import multiprocessing
import os
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path

from customs.intake.scan import Entry
from customs.work.asset import Request, Result, run


def package_folders(entries: Sequence[Entry]) -> list[str]:
    """For each file the folder its package goes to, "" for one of the asset's own name.

    Files whose names would meet keep the folders they lie in; those that meet all the same are told apart by number.
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
