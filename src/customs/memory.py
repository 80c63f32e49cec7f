"""How much memory a process holds, and how much there is."""

from __future__ import annotations

import os
import time
from dataclasses import dataclass, field
from pathlib import Path

from customs.errors import LimitError
from customs.preferences import preferences

PAGE = os.sysconf("SC_PAGE_SIZE")
SHARE = 0.8
"""Of the machine's memory: the rest is left to others."""
LEAST = 1 << 30
"""Bytes a piece of work may add in any case."""
EVERY = 0.25
"""Seconds between two looks."""


def resident(pid: int) -> int:
    """Bytes of memory a process holds; 0 where it has gone."""
    try:
        return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * PAGE
    except (OSError, ValueError, IndexError):
        return 0


def memory_for(workers: int) -> int:
    """Bytes of memory each of several may take: what the machine has, shared out, a fifth left over."""
    return int(PAGE * os.sysconf("SC_PHYS_PAGES") * SHARE / max(workers, 1))


def wanted_memory(workers: int) -> int:
    """Bytes each of several may take: what a person prefers, else what the machine has, shared out."""
    return int(preferences().memory * 1e9) or memory_for(workers)


@dataclass
class Watch:
    """Looks at this process while a piece of work goes on in it."""

    most: int = field(default_factory=lambda: wanted_memory(1))
    began: int = field(default_factory=lambda: resident(os.getpid()))
    looked: float = 0.0

    def check(self) -> None:
        """Raises LimitError where the process holds more than it may, and this work has made it so."""
        now = time.monotonic()
        if now - self.looked < EVERY:
            return
        self.looked, held = now, resident(os.getpid())
        if held > self.most and held - self.began > LEAST:
            raise LimitError(
                f"the work on it takes {(held - self.began) / 1e9:.1f} GB of memory, {held / 1e9:.1f} GB in all",
                f"{self.most / 1e9:.1f} GB at most",
                "Run it by a recipe, where each asset has a process of its own, or make it smaller.",
            )
