"""Tables of three columns: what, what was measured, the goal."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path


def told(
    title: str,
    about: str,
    head: tuple[str, str, str],
    rows: Iterable[tuple[str, str, str]],
    place: Path | None,
) -> None:
    """Print a table, and write it where a place is given."""
    lines = [f"| {' | '.join(head)} |", "|---|---|---|", *(f"| {a} | {b} | {c} |" for a, b, c in rows)]
    text = f"# {title}\n\n{about}\n\n" + "\n".join(lines) + "\n"
    print(text)
    if place is not None:
        place.write_text(text, "utf-8")
