"""A list of placements as columns in the working frame, with what is wrong in it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from customs.levels.entries import read_entries
from customs.levels.library import Resolved, resolve
from customs.levels.mapping import Mapping
from customs.levels.transforms import chained, in_working, matrices_of
from customs.words import many

F64 = npt.NDArray[np.float64]
SHOWN = 3
FALSE = frozenset({"false", "0", "no", "off", "hidden"})


@dataclass(frozen=True, eq=False)
class Listed:
    """N placements: names, kinds ("" where not said), which are visible (N,), whole transforms (N, 4, 4) to the working frame; those
    that could not be used are left out and told in `problems`.
    """

    path: Path
    names: tuple[str, ...]
    kinds: tuple[str, ...]
    visible: npt.NDArray[np.bool_]
    matrices: F64
    problems: tuple[str, ...] = ()
    of: int = 0
    """Entries of the list, those that were left out too."""

    def __len__(self) -> int:
        return len(self.names)


def read_list(path: Path, mapping: Mapping) -> Listed:
    """A list through its mapping. Raises ReadError."""
    entries, f = read_entries(path, mapping.entries), mapping.fields
    names = [n if isinstance(n, str) and n.strip() else "" for n in entries.column(f.name)]
    matrices = matrices_of(entries, mapping)
    parents, problems = np.full(len(entries), -1, np.intp), list[str]()
    if f.parent:
        parents, lost = _parents(entries.column(f.id), entries.column(f.parent))
        problems += _told(lost, names, "a parent that is not in the list, so they stand by themselves")
    finite: npt.NDArray[np.bool_] = np.asarray(np.isfinite(matrices).all(axis=(1, 2)))
    flat = np.zeros(len(entries), bool)
    flat[finite] = np.abs(np.linalg.det(matrices[finite, :3, :3])) < 1e-12
    whole, circle = chained(np.where(finite[:, None, None], matrices, np.eye(4)), parents)
    named = np.array([bool(n) for n in names])
    problems += _told(~finite, names, "no transform that is whole")
    problems += _told(flat & finite, names, "squeezed flat, which cannot be undone")
    problems += _told(circle, names, "hung under themselves")
    problems += _told(~named, names, "no name")
    keep = np.flatnonzero(finite & ~flat & ~circle & named)
    kinds = [str(k) if k is not None else "" for k in entries.column(f.kind)] if f.kind else [""] * len(names)
    shown = (
        np.array([_visible(v) for v in entries.column(f.visible)]) if f.visible else np.ones(len(names), bool)
    )
    return Listed(
        path,
        tuple(names[k] for k in keep),
        tuple(kinds[k] for k in keep),
        shown[keep],
        in_working(whole[keep], mapping),
        tuple(problems),
        len(entries),
    )


def _visible(value: object) -> bool:
    return value is None or str(value).strip().lower() not in FALSE


def _parents(
    ids: Sequence[object], parents: Sequence[object]
) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.bool_]]:
    """(row each hangs under, −1 for none (N,); which name one that is not there (N,))."""
    place = {str(i): k for k, i in enumerate(ids) if i is not None}
    said = [None if p in (None, "", -1, "-1") else str(p) for p in parents]
    out = np.array([-1 if p is None else place.get(p, -1) for p in said], np.intp)
    return out, np.array([p is not None and p not in place for p in said])


def _told(which: npt.NDArray[np.bool_], names: Sequence[str], what: str) -> list[str]:
    rows = np.flatnonzero(which)
    if not len(rows):
        return []
    shown = ", ".join(f"{k + 1} ({names[k] or '–'})" for k in rows[:SHOWN])
    return [f"{what} ({many(len(rows), 'entry')}): {shown}{' …' if len(rows) > SHOWN else ''}"]


def resolved_names(lists: Sequence[Listed], libraries: Sequence[Path], mapping: Mapping) -> list[Resolved]:
    """Every name of some lists once, the most frequent first. Raises ReadError."""
    counts = Counter(n for x in lists for n in x.names)
    return resolve(counts.most_common(), libraries, mapping.library)
