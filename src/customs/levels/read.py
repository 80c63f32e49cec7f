"""A list of placements as columns in the working frame, with what is wrong in it."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.levels.entries import Column, bytes_of_list, read_entries
from customs.levels.library import Resolved, resolve
from customs.levels.mapping import Mapping
from customs.levels.transforms import chained, in_working, matrices_of
from customs.scene.transforms import flat
from customs.words import many

F64 = npt.NDArray[np.float64]
SHOWN = 3
FALSE = ("false", "0", "no", "off", "hidden")
NO_PARENT = ("None", "", "-1")


@dataclass(frozen=True, eq=False)
class Listed:
    """N placements: names, kinds and what each is called ("" where not said), which are visible (N,), whole transforms (N, 4, 4) to the working frame; those
    that could not be used are left out and told in `problems`.
    """

    path: Path
    names: npt.NDArray[np.object_]
    kinds: npt.NDArray[np.object_]
    labels: npt.NDArray[np.object_]
    visible: npt.NDArray[np.bool_]
    matrices: F64
    problems: tuple[str, ...] = ()
    of: int = 0
    """Entries of the list, those that were left out too."""

    def __len__(self) -> int:
        return len(self.names)


def read_list(path: Path, mapping: Mapping, data: bytes | None = None) -> Listed:
    """A list through its mapping, from its bytes or from the disk. Raises ReadError."""
    data = bytes_of_list(path) if data is None else data
    entries, f = read_entries(data, mapping.entries, path), mapping.fields
    names = _texts(entries.column(f.name))
    matrices = matrices_of(entries, mapping)
    parents, problems = np.full(len(entries), -1, np.intp), list[str]()
    if f.parent:
        parents, lost = _parents(entries.column(f.id), entries.column(f.parent))
        problems += _told(lost, names, "a parent that is not in the list, so they stand by themselves")
    finite: npt.NDArray[np.bool_] = np.asarray(np.isfinite(matrices).all(axis=(1, 2)))
    squeezed = np.zeros(len(entries), bool)
    squeezed[finite] = flat(matrices[finite])
    whole, circle = chained(np.where(finite[:, None, None], matrices, np.eye(4)), parents)
    named = names != ""
    problems += _told(~finite, names, "no transform that is whole")
    problems += _told(squeezed & finite, names, "squeezed flat, which cannot be undone")
    problems += _told(circle, names, "hung under themselves")
    problems += _told(~named, names, "no name")
    keep = np.flatnonzero(finite & ~squeezed & ~circle & named)
    kinds = _texts(entries.column(f.kind)) if f.kind else np.full(len(names), "", object)
    labels = _texts(entries.column(f.label)) if f.label else np.full(len(names), "", object)
    shown = _visible(entries.column(f.visible)) if f.visible else np.ones(len(names), bool)
    return Listed(
        path,
        names[keep],
        kinds[keep],
        labels[keep],
        shown[keep],
        in_working(whole[keep], mapping),
        tuple(problems),
        len(entries),
    )


def _texts(column: Column) -> npt.NDArray[np.object_]:
    """(N,) texts without white space around them, "" for what is none."""
    return np.array(list(map(_text, column)), object)


def _text(value: Any) -> str:
    return value.strip() if isinstance(value, str) else ""


def _visible(column: Column) -> npt.NDArray[np.bool_]:
    said = np.char.lower(np.array(list(map(str, column)), str))
    return ~np.isin(np.char.strip(said), FALSE)


def _parents(ids: Column, parents: Column) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.bool_]]:
    """(row each hangs under, −1 for none (N,); which name one that is not there (N,)). Of several of an id the last counts."""
    own, said = (np.array(list(map(str, column)), str) for column in (ids, parents))
    known = own != "None"
    names, last = np.unique(own[known][::-1], return_index=True)
    rows = np.flatnonzero(known)[::-1][last] if known.any() else np.zeros(0, np.intp)
    asked = ~np.isin(said, NO_PARENT)
    out = np.full(len(said), -1, np.intp)
    if len(names):
        at = np.minimum(np.searchsorted(names, said), len(names) - 1)
        there = asked & (names[at] == said)
        out[there] = rows[at[there]]
    return out, asked & (out < 0)


def _told(which: npt.NDArray[np.bool_], names: npt.NDArray[np.object_], what: str) -> list[str]:
    rows = np.flatnonzero(which)
    if not len(rows):
        return []
    shown = ", ".join(f"{k + 1} ({names[k] or '–'})" for k in rows[:SHOWN])
    return [f"{what} ({many(len(rows), 'entry')}): {shown}{' …' if len(rows) > SHOWN else ''}"]


def name_counts(lists: Sequence[Listed]) -> list[tuple[str, int]]:
    """Every name with how many entries have it, the most frequent first."""
    return Counter(itertools.chain.from_iterable(x.names.tolist() for x in lists)).most_common()


def resolved_names(lists: Sequence[Listed], libraries: Sequence[Path], mapping: Mapping) -> list[Resolved]:
    """Every name of some lists once, the most frequent first. Raises ReadError."""
    counts = name_counts(lists)
    return resolve(counts, libraries, mapping.library)
