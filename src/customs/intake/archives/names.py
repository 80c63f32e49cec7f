"""Names in archives, as they come from systems of all kinds."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

from customs.files import LONGEST_NAME

PLAIN = re.compile(r"(?:[\w-][\w .,()+-]*/)*[\w-][\w .,()+-]*", re.ASCII)
"""Most names: parts that begin with no dot, and nothing that has a meaning anywhere."""
DEEPEST = 64
"""Folders inside one another in an archive."""


def clean_name(name: str) -> tuple[str, str]:
    """(the name as a path with slashes, why nothing can lie there or ""). A drive and leading slashes go."""
    if len(name) <= LONGEST_NAME and PLAIN.fullmatch(name) and name.count("/") < DEEPEST:
        return name, ""
    text = name.replace("\\", "/")
    rooted = text.startswith("/") or (len(text) > 1 and text[1] == ":")
    parts = [
        p for p in (text[2:] if len(text) > 1 and text[1] == ":" else text).split("/") if p not in ("", ".")
    ]
    out = "/".join(p for p in parts if p != "..") or "?"
    if ".." in parts or rooted:
        return out, "its name leads out of the archive"
    if not parts:
        return out, "it has no name"
    if "\0" in out or any(len(p.encode("utf-8", "replace")) > LONGEST_NAME for p in parts):
        return out.replace("\0", "?"), "no file can have this name"
    if len(parts) > DEEPEST:
        return out, f"more than {DEEPEST} folders inside one another"
    return out, ""


def decoded(raw: bytes) -> str:
    """A name no flag speaks of: UTF-8 where it can be nothing else, else the code page of the first such
    archives (CP437; APPNOTE.TXT, appendix D).
    """
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return raw.decode("cp437")


def apart(names: Sequence[str]) -> tuple[list[str], list[str]]:
    """(names (N,), of which no two are equal, what a person is to know): a later one of a name gets a
    number.
    """
    counts = Counter(names)
    doubles = sum(n - 1 for n in counts.values() if n > 1)
    alike = len(counts) - len({n.lower() for n in counts})
    said = []
    if doubles:
        said.append(f"{doubles} entries have the name of another; each is shown with a number")
    if alike:
        said.append(f"{alike} names differ from others in capital letters alone")
    if not doubles:
        return list(names), said
    taken, out = set(counts), []
    seen: Counter[str] = Counter()
    for name in names:
        seen[name] += 1
        if seen[name] > 1:
            name = _numbered(name, seen[name], taken)
        out.append(name)
    return out, said


def _numbered(name: str, number: int, taken: set[str]) -> str:
    folder, slash, last = name.rpartition("/")
    stem, dot, ending = last.rpartition(".")
    if not stem:
        stem, dot, ending = last, "", ""
    while (free := f"{folder}{slash}{stem} ({number}){dot}{ending}") in taken:
        number += 1
    taken.add(free)
    return free
