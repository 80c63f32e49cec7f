"""Keys that hold when a file changes: elements of a file taken again keep the Keys they had when it was first
taken.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.held import map_held
from customs.scene.key import KINDS, Key
from customs.scene.model import Clip, Scene

I64 = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Renumbering:
    """Numbers of one kind of element: `runs` of (number in the file, number in its Key, count), and the next
    number nothing ever had.
    """

    runs: tuple[tuple[int, int, int], ...]
    next: int

    def of(self, ordinals: Any) -> I64:
        """Numbers in the Keys, of numbers in the file (N,); those in no run stay."""
        out = np.array(ordinals, dtype=np.int64)
        if self.runs:
            first, mine, count = np.array(self.runs, dtype=np.int64).T
            at = np.searchsorted(first, out, side="right") - 1
            inside = (at >= 0) & (out < (first + count)[at])
            out[inside] += (mine - first)[at[inside]]
        return out

    def as_list(self) -> list[Any]:
        """For the shipment."""
        return [self.next, *map(list, self.runs)]

    @classmethod
    def from_list(cls, said: Any) -> Renumbering:
        """From the shipment."""
        return cls(tuple((int(a), int(b), int(c)) for a, b, c in said[1:]), int(said[0]))


Numbering = Mapping[str, Renumbering]
"""By kind of Key; kinds that are not there are numbered as in the file."""


def numbers_of(ordinals: I64, mine: I64, floor: int) -> Renumbering:
    """Numbers in the file (N,) and in the Keys (N,) as runs, ascending."""
    order = np.argsort(ordinals, kind="stable")
    a, b = ordinals[order], mine[order]
    starts = (
        np.flatnonzero(np.concatenate([[True], (np.diff(a) != 1) | (np.diff(b) != 1)]))
        if len(a)
        else np.zeros(0, np.intp)
    )
    counts = np.diff(np.concatenate([starts, [len(a)]]))
    runs = tuple(zip(a[starts].tolist(), b[starts].tolist(), counts.tolist()))
    return Renumbering(runs, max(floor, int(b.max(initial=-1)) + 1))


def renumbered(scene: Scene, prefix: str, numbering: Numbering) -> Scene:
    """The scene with Keys of an asset that was first taken under `prefix`; the same one where they are so
    already.
    """
    if scene.digest == prefix and not numbering:
        return scene
    changed: dict[str, Any] = {kind: _all(getattr(scene, kind), prefix, numbering) for kind in KINDS}
    changed["nodes"] = map_held(changed["nodes"], lambda thing: _all((thing,), prefix, numbering)[0])
    changed["meshes"] = tuple(
        replace(m, primitives=_all(m.primitives, prefix, numbering)) for m in changed["meshes"]
    )
    rows = scene.placements
    kinds = scene.kinds
    if "node" in numbering:
        rows = rows.numbered(numbering["node"].of(rows.ordinals)) if len(rows) else rows
        kinds = kinds.numbered(numbering["node"].of(kinds.ordinals))
    keys = {a.key: b.key for a, b in zip(scene.nodes, changed["nodes"])}
    changed["clips"] = tuple(_pointing(c, prefix, numbering) for c in changed["clips"])
    springs = tuple(s.rekeyed(keys) for s in scene.springs)
    person = scene.person.rekeyed(keys) if scene.person is not None else None
    return replace(
        scene, digest=prefix, placements=rows, kinds=kinds, springs=springs, person=person, **changed
    )


def _pointing(clip: Clip, prefix: str, numbering: Numbering) -> Clip:
    """A clip whose pointers name their subjects by the Keys those have now."""
    if not clip.pointers:
        return clip
    subjects = _all(tuple(_Named(p.subject) for p in clip.pointers), prefix, numbering)
    return replace(clip, pointers=tuple(replace(p, subject=s.key) for p, s in zip(clip.pointers, subjects)))


@dataclass(frozen=True)
class _Named:
    key: Key


def _all(items: tuple[Any, ...], prefix: str, numbering: Numbering) -> tuple[Any, ...]:
    numbers = {
        k: numbering[k].of([x.key.ordinal for x in items]).tolist()
        for k in {x.key.kind for x in items}
        if k in numbering
    }
    return tuple(
        replace(
            x, key=Key(prefix, x.key.kind, numbers[x.key.kind][i] if x.key.kind in numbers else x.key.ordinal)
        )
        for i, x in enumerate(items)
    )
