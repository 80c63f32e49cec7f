"""Tables: what, what was measured, the goal; and how long something took."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path


def told(
    title: str,
    about: str,
    head: Sequence[str],
    rows: Iterable[Sequence[str]],
    place: Path | None,
) -> None:
    """Print a table, and write it where a place is given."""
    lines = [f"| {' | '.join(head)} |", "|" + "---|" * len(head), *(f"| {' | '.join(r)} |" for r in rows)]
    text = f"# {title}\n\n{about}\n\n" + "\n".join(lines) + "\n"
    print(text)
    if place is not None:
        place.write_text(text, "utf-8")


def took(action: Callable[[], object], times: int = 5) -> float:
    """The least seconds of several tries."""
    out = []
    for _ in range(times):
        began = time.perf_counter()
        action()
        out.append(time.perf_counter() - began)
    return min(out)
