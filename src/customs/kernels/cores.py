"""Chunks of work handed to kernels side by side: they release the lock, and each runs on one thread."""

from __future__ import annotations

import itertools
import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor

MOST = 8
"""Threads at most: more only wait for memory (common practice)."""


def cores() -> int:
    """Cores this process may use, MOST at most."""
    return min(len(os.sched_getaffinity(0)), MOST)


def cuts(count: int) -> list[tuple[int, int]]:
    """(begin, end) of about equal parts of `count` things, one for each core."""
    parts = max(cores(), 1)
    ends = [count * k // parts for k in range(parts + 1)]
    return [(a, b) for a, b in itertools.pairwise(ends) if b > a]


def on_cores(work: Callable[[tuple[int, int]], None], parts: Sequence[tuple[int, int]]) -> None:
    """`work` on each part, side by side."""
    if len(parts) < 2:
        for part in parts:
            work(part)
        return
    with ThreadPoolExecutor(len(parts)) as threads:
        for done in [threads.submit(work, part) for part in parts]:
            done.result()
