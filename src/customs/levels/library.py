"""Files that the names of a list may mean."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType

from customs.errors import ReadError
from customs.levels.mapping import Library

NOTHING_GIVEN: Mapping[str, Path] = MappingProxyType({})
MOST = 1_000_000
"""Files of all libraries that are looked through."""


@dataclass(frozen=True)
class Resolved:
    """A name of a list: how many entries have it, the files it may mean, the likeliest first; several that are as likely are
    `ambiguous`.
    """

    name: str
    count: int
    files: tuple[Path, ...]
    ambiguous: bool = False

    @property
    def file(self) -> Path | None:
        """The file it means, None where there is none or nobody can tell."""
        return self.files[0] if self.files and not self.ambiguous else None


Walk = Callable[[Path], Iterable[tuple[str, list[str]]]]
"""Says of a folder every folder in it with the names of its files. Raises ReadError for one that is not there."""


def on_disk(root: Path) -> Iterator[tuple[str, list[str]]]:
    """A folder of the disk. Raises ReadError."""
    if not root.is_dir():
        raise ReadError("there is no such folder", "a library", "Name it, or mend the mapping.", root)
    for place, _, names in os.walk(root):
        yield place, names


def files_of(
    folders: Sequence[Path], rules: Library, walk: Walk = on_disk
) -> dict[str, list[tuple[int, Path]]]:
    """Files by their stem (small letters where case does not count), each with the place of its folder among those given. Raises
    ReadError for a folder that is not there.
    """
    out: dict[str, list[tuple[int, Path]]] = {}
    ends, count = tuple(e.lower() for e in rules.endings), 0
    for rank, folder in enumerate(folders):
        root = folder / rules.folder if rules.folder else folder
        for place, names in walk(root):
            count += len(names)
            if count > MOST:
                raise ReadError(f"more than {MOST:,} files", "a library", "Name a smaller folder.", root)
            for name in names:
                if name.lower().endswith(ends):
                    stem = os.path.splitext(name)[0]
                    out.setdefault(_key(stem, rules), []).append((rank, Path(place, name)))
    return out


def _key(stem: str, rules: Library) -> str:
    return stem.casefold() if rules.ignore_case else stem


def resolve(
    names: Iterable[tuple[str, int]],
    folders: Sequence[Path],
    rules: Library,
    walk: Walk = on_disk,
    given: Mapping[str, Path] = NOTHING_GIVEN,
) -> list[Resolved]:
    """What `given` says of a name counts; else each name (with how many entries have it) once. A name may be a path, with or without its ending; folders that agree with it
    count most, then the order of the libraries and of the endings. What climbs out of a library means nothing. Raises ReadError.
    """
    known = files_of(folders, rules, walk)
    return [
        Resolved(name, count, (given[name],)) if name in given else _resolved(name, count, known, rules)
        for name, count in names
    ]


def _resolved(name: str, count: int, known: dict[str, list[tuple[int, Path]]], rules: Library) -> Resolved:
    parts = [p for p in re.split(r"[/\\]", name) if p not in ("", ".")]
    if not parts or ".." in parts or ":" in name:
        return Resolved(name, count, ())
    last, end = os.path.splitext(parts[-1])
    stems = [parts[-1], last] if end else [last]
    found = next((f for s in stems if (f := known.get(_key(s, rules)))), [])
    if not found:
        return Resolved(name, count, ())
    ranked = sorted(found, key=lambda f: (_rank(f, parts, end, rules), str(f[1])))
    best = _rank(ranked[0], parts, end, rules)
    alike = [f for f in ranked if _rank(f, parts, end, rules) == best]
    return Resolved(name, count, tuple(p for _, p in ranked), len(alike) > 1)


def _rank(
    file: tuple[int, Path], parts: Sequence[str], end: str, rules: Library
) -> tuple[int, int, int, int]:
    """Less is likelier: fewer folders that disagree, another case, a later library, a later ending."""
    rank, path = file
    said, there = [p.casefold() for p in parts[:-1]], [p.casefold() for p in path.parent.parts]
    agree = 0
    while agree < min(len(said), len(there)) and said[-1 - agree] == there[-1 - agree]:
        agree += 1
    ends = [e.lower() for e in rules.endings]
    own = path.suffix.lower()
    place = -1 if end.lower() == own else ends.index(own) if own in ends else len(ends)
    case = int(os.path.splitext(parts[-1])[0] != path.stem)
    return -agree, case, rank, place
