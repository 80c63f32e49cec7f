"""What a scene repeats, as a table: a level of a hundred thousand things is a few hundred meshes and as many
rows.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.hanging import held_up, topmost, up_to

NOTHING = 2**32 - 1
"""The mesh of a row that shows none and only leads to others."""

F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]
I32 = npt.NDArray[np.int32]


def _none(shape: tuple[int, ...], dtype: Any) -> Any:
    out = np.zeros(shape, dtype)
    out.flags.writeable = False
    return out


@dataclass(frozen=True, eq=False)
class Placements:
    """N rows, each a mesh that stands somewhere, or what several rows hang under. `of` (N,) uint32 are
    indices of meshes (NOTHING: none), `matrices` (N, 3, 4) float64 the rows' own transforms, `above` (N,)
    int32 the rows they hang under (−1: none), `parents` (N,) int32 the nodes that they, or the topmost rows
    above them, hang under (−1: none), `ordinals` (N,) uint32 the numbers their nodes had in the file, so that
    the Key of a row is (digest, "node", ordinal); `names` N names. Arrays are read-only.
    """

    of: U32 = field(default_factory=lambda: _none((0,), np.uint32))
    matrices: F64 = field(default_factory=lambda: _none((0, 3, 4), np.float64))
    parents: I32 = field(default_factory=lambda: _none((0,), np.int32))
    above: I32 = field(default_factory=lambda: _none((0,), np.int32))
    ordinals: U32 = field(default_factory=lambda: _none((0,), np.uint32))
    names: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.of)

    @property
    def shows(self) -> npt.NDArray[np.bool_]:
        """(N,) which rows show a mesh."""
        return self.of != NOTHING

    @property
    def top(self) -> npt.NDArray[np.bool_]:
        """(N,) which rows hang under no other."""
        return self.above < 0

    @property
    def meshes(self) -> list[int]:
        """Meshes that rows show, each once, in order."""
        return np.unique(self.of[self.shows]).tolist()

    def by_mesh(self) -> list[tuple[int, npt.NDArray[np.intp]]]:
        """(mesh, the rows that show it) for every mesh that rows show, in order."""
        order = np.argsort(self.of, kind="stable")[: int(self.shows.sum())]
        meshes, starts = np.unique(self.of[order], return_index=True)
        return list(zip(meshes.tolist(), np.split(order, starts[1:]))) if len(meshes) else []

    def times(self, count: int) -> npt.NDArray[np.intp]:
        """(count,) how many rows show each of `count` meshes."""
        return np.bincount(self.of[self.shows], minlength=count)

    def at(self, rows: npt.NDArray[np.bool_]) -> Placements:
        """Those rows (N,); what hung under another hangs under what was above that, and stays where it is."""
        if rows.all():
            return self
        above, matrices = held_up(self.above, self.matrices, rows)
        of, matrices, parents, above, ordinals = (
            _locked(a[rows]) for a in (self.of, matrices, self.parents, above, self.ordinals)
        )
        names = tuple(self.names[k] for k in np.flatnonzero(rows).tolist())
        return Placements(of, matrices, parents, above, ordinals, names)

    def and_(self, other: Placements) -> Placements:
        """These rows, then those of `other`."""
        if not len(other) or not len(self):
            return self if not len(other) else other
        moved = np.where(other.above < 0, -1, other.above + len(self))
        pairs = [
            (getattr(self, name), getattr(other, name)) for name in ("of", "matrices", "parents", "ordinals")
        ]
        of, matrices, parents, ordinals = (_locked(np.concatenate(pair)) for pair in pairs)
        above = _locked(np.concatenate([self.above, moved]).astype(np.int32))
        return Placements(of, matrices, parents, above, ordinals, self.names + other.names)

    def moved(self, matrices: F64) -> Placements:
        """The rows with other transforms of their own (N, 3, 4) or (N, 4, 4)."""
        return replace(self, matrices=_locked(np.ascontiguousarray(matrices[:, :3], np.float64)))

    def under(self, parents: npt.NDArray[Any]) -> Placements:
        """The rows under other nodes (N,); what hangs under a row goes with that."""
        return replace(self, parents=_locked(parents.astype(np.int32)[topmost(self.above)]))

    def hung(self, above: npt.NDArray[Any], parents: npt.NDArray[Any]) -> Placements:
        """The rows under other rows (N,), and the topmost of them under other nodes (N,). Raises ValueError
        where they hang in a circle.
        """
        return replace(self, above=_locked(above.astype(np.int32))).under(parents)

    def showing(self, change: Callable[[npt.NDArray[np.intp]], npt.NDArray[Any]]) -> Placements:
        """The rows with what `change` makes of the meshes (M,) of those that show one."""
        of, shows = self.of.copy(), self.shows
        of[shows] = change(of[shows].astype(np.intp))
        return replace(self, of=_locked(of))

    def numbered(self, ordinals: npt.NDArray[Any]) -> Placements:
        """The rows with other numbers of their nodes (N,)."""
        return replace(self, ordinals=_locked(ordinals.astype(np.uint32)))

    @property
    def squares(self) -> F64:
        """(N, 4, 4) float64, the rows' own transforms with their last row."""
        out = np.zeros((len(self), 4, 4))
        out[:, :3], out[:, 3, 3] = self.matrices, 1
        return out

    @property
    def hanging(self) -> F64:
        """(N, 3, 4) float64, where the rows stand in what their node is."""
        return up_to(self.above, self.matrices)


def table(
    of: Any, matrices: Any, parents: Any, ordinals: Any, names: tuple[str, ...], above: Any = None
) -> Placements:
    """Rows of columns (N,) in any integer type, matrices (N, 3, 4) or (N, 4, 4); none under another where
    `above` is not said.
    """
    rows = (
        Placements(_locked(np.array(of, np.uint32)), names=names)
        .moved(matrices)
        .numbered(np.asarray(ordinals))
    )
    return rows.hung(np.full(len(rows), -1) if above is None else np.asarray(above), np.asarray(parents))


def _locked(values: Any) -> Any:
    values.flags.writeable = False
    return values


NO_PLACEMENTS = Placements()
