"""Numbers in sentences."""

from __future__ import annotations

PLURALS = {"mesh": "meshes", "body": "bodies", "vertex": "vertices"}


def many(count: int, thing: str) -> str:
    """ "1 clip", "2 clips", "1,200 meshes"."""
    return f"{count:,} {thing if count == 1 else PLURALS.get(thing, thing + 's')}"
