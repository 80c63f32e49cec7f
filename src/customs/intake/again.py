"""A file that has changed, taken again: which of its elements are which of those before, by name path, then
by number.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.scene.key import FILE, KINDS
from customs.scene.model import Scene
from customs.scene.renumber import Numbering, Renumbering, numbers_of
from customs.scene.tree import walk
from customs.words import many

Names = npt.NDArray[np.str_]
I64 = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Known:
    """Elements of one kind: their name paths (N,) and numbers (N,)."""

    paths: Names
    numbers: I64


@dataclass(frozen=True)
class Again:
    """How a file taken again is numbered; names of what was there before and is no more, and counts of what
    is new, by kind.
    """

    numbering: Numbering
    gone: Mapping[str, tuple[str, ...]]
    new: Mapping[str, int]

    def words(self) -> tuple[str, ...]:
        """What a person is to know."""
        out = []
        for kind, names in self.gone.items():
            listed = ", ".join(names[:6]) + (" …" if len(names) > 6 else "")
            out.append(f"{many(len(names), kind)} no longer there: {listed}")
        out += [f"{many(count, kind)} new" for kind, count in self.new.items()]
        return tuple(out)


def elements(scene: Scene) -> dict[str, Known]:
    """Elements of a scene by kind of Key; textures found near the file are known by their place and not among
    them.
    """
    out: dict[str, Known] = {}
    for kind in (*KINDS[1:], "cameras", "lights"):
        items = [x for x in getattr(scene, kind) if x.key.kind != FILE]
        if items:
            out[items[0].key.kind] = _known([x.name for x in items], [x.key.ordinal for x in items])
    parts = [(f"{m.name}/{k}", p.key.ordinal) for m in scene.meshes for k, p in enumerate(m.primitives)]
    out["primitive"] = _known([a for a, _ in parts], [b for _, b in parts])
    out["node"] = _nodes(scene)
    return {kind: known for kind, known in out.items() if len(known.numbers)}


def _known(names: list[str], numbers: list[int]) -> Known:
    return Known(np.array(names, dtype=np.str_), np.array(numbers, dtype=np.int64))


def _nodes(scene: Scene) -> Known:
    paths = [n.name for n in scene.nodes]
    for n, parent, _ in walk(scene):
        if parent >= 0:
            paths[n] = f"{paths[parent]}/{scene.nodes[n].name}"
    own = _known(paths, [n.key.ordinal for n in scene.nodes])
    rows = scene.placements
    if not len(rows):
        return own
    top = np.array([*(f"{p}/" for p in paths), ""], dtype=np.str_)[rows.parents]
    own_names = names = np.array(rows.names, dtype=np.str_)
    above = rows.above
    while (at := np.flatnonzero(above >= 0)).size:
        longer = np.char.add(np.char.add(own_names[above[at]], "/"), names[at])
        names = names.astype(np.result_type(names, longer))
        names[at] = longer
        above = above.copy()
        above[at] = rows.above[above[at]]
    names = np.char.add(top, names)
    return Known(
        np.concatenate([own.paths, names]), np.concatenate([own.numbers, rows.ordinals.astype(np.int64)])
    )


def matched(before: Scene, after: Scene, known: Numbering) -> Again:
    """`after` as read from the changed file, against `before` as it was taken, whose Keys `known` had already
    numbered.
    """
    old, new = elements(before), elements(after)
    numbering: dict[str, Renumbering] = {}
    gone: dict[str, tuple[str, ...]] = {}
    came: dict[str, int] = {}
    for kind in sorted({*old, *new}):
        a, b = old.get(kind, _known([], [])), new.get(kind, _known([], []))
        floor = max(int(a.numbers.max(initial=-1)) + 1, known[kind].next if kind in known else 0)
        i, j = _pairs(a, b)
        left = np.ones(len(b.numbers), dtype=bool)
        left[j] = False
        mine = np.empty(len(b.numbers), dtype=np.int64)
        mine[j], mine[left] = a.numbers[i], floor + np.arange(left.sum())
        if kind in known or (mine != b.numbers).any() or len(i) < len(a.numbers):
            numbering[kind] = numbers_of(b.numbers, mine, floor)
        lost = np.ones(len(a.numbers), dtype=bool)
        lost[i] = False
        if lost.any():
            gone[kind] = tuple(a.paths[lost].tolist())
        if left.any():
            came[kind] = int(left.sum())
    return Again(numbering, gone, came)


def _pairs(a: Known, b: Known) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.intp]]:
    """(places in `a`, places in `b`) of what is the same: by name path, several of one in their order; then
    by number.
    """
    _, codes = np.unique(np.concatenate([a.paths, b.paths]), return_inverse=True)
    first = _ranked(codes[: len(a.paths)]), _ranked(codes[len(a.paths) :])
    _, i, j = np.intersect1d(*first, assume_unique=True, return_indices=True)
    left_a, left_b = np.setdiff1d(np.arange(len(a.paths)), i), np.setdiff1d(np.arange(len(b.paths)), j)
    _, p, q = np.intersect1d(a.numbers[left_a], b.numbers[left_b], return_indices=True)
    return np.concatenate([i, left_a[p]]), np.concatenate([j, left_b[q]])


def _ranked(codes: npt.NDArray[np.intp]) -> I64:
    """A number for each (N,) that is the same in two lists for the k-th of one code."""
    order = np.argsort(codes, kind="stable")
    sorted_ = codes[order]
    starts = (
        np.flatnonzero(np.concatenate([[True], sorted_[1:] != sorted_[:-1]]))
        if len(codes)
        else np.zeros(0, np.intp)
    )
    rank = np.arange(len(codes)) - np.repeat(starts, np.diff(np.concatenate([starts, [len(codes)]])))
    out = np.empty(len(codes), dtype=np.int64)
    out[order] = sorted_.astype(np.int64) * (1 << 32) + rank
    return out
