"""What a name says of its side, and its place among others of one part."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable

GAP = r"[_.\- ]"
APART = re.compile(rf"(?:^|{GAP})(left|right|l|r)(?={GAP}|$)", re.IGNORECASE)
"""A side by itself between separators (common practice)."""
GROWN = re.compile(r"(?:^|(?<=[a-z0-9_.\- ]))(Left|Right)(?=[A-Z0-9_.\- ]|$)")
"""A side as one of several words written together."""
NUMBER = re.compile(rf"{GAP}?[0-9]+$")


def split_side(name: str) -> tuple[str, str]:
    """(the part without its side and number, "left", "right" or "") of a name."""
    found = APART.search(name) or GROWN.search(name)
    if found is None:
        return NUMBER.sub("", name) or name, ""
    side = "left" if found[1][0] in "lL" else "right"
    rest = f"{name[: found.start()]}_{name[found.end() :]}" if name[: found.start()] else name[found.end() :]
    part = re.sub(rf"{GAP}*_{GAP}*", "_", rest).strip("_.- ")
    return (NUMBER.sub("", part) or part or name), side


def places_of(names: Iterable[str]) -> list[tuple[str, str, int]]:
    """(part, side, place) of names in order: the place counts those of the same part and side from 1."""
    seen, out = Counter[tuple[str, str]](), list[tuple[str, str, int]]()
    for name in names:
        part, side = split_side(name)
        seen[part.lower(), side] += 1
        out.append((part, side, seen[part.lower(), side]))
    return out
