"""What a scene repeats, as a table: a level of a hundred thousand things is a few hundred meshes and as many rows."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]
I32 = npt.NDArray[np.int32]


def _none(shape: tuple[int, ...], dtype: Any) -> Any:
    out = np.zeros(shape, dtype)
    out.flags.writeable = False
    return out


@dataclass(frozen=True, eq=False)
class Placements:
    """N rows, each a mesh that stands somewhere. `of` (N,) uint32 are indices of meshes, `matrices` (N, 3, 4) float64 the rows'
    own transforms, `parents` (N,) int32 the nodes they hang under (−1: none), `ordinals` (N,) uint32 the numbers their nodes had in the
    file, so that the Key of a row is (digest, "node", ordinal); `names` N names. Arrays are read-only.
    """

    of: U32 = field(default_factory=lambda: _none((0,), np.uint32))
    matrices: F64 = field(default_factory=lambda: _none((0, 3, 4), np.float64))
    parents: I32 = field(default_factory=lambda: _none((0,), np.int32))
    ordinals: U32 = field(default_factory=lambda: _none((0,), np.uint32))
    names: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.of)

    def at(self, rows: npt.NDArray[Any]) -> Placements:
        """Those rows (M,) integers, or (N,) booleans."""
        where = np.flatnonzero(rows) if rows.dtype == bool else rows
        if len(where) == len(self) and (where == np.arange(len(self))).all():
            return self
        of, matrices, parents, ordinals = (_locked(a[where]) for a in (self.of, self.matrices, self.parents, self.ordinals))
        return Placements(of, matrices, parents, ordinals, tuple(self.names[k] for k in where.tolist()))

    def and_(self, other: Placements) -> Placements:
        """These rows, then those of `other`."""
        if not len(other) or not len(self):
            return self if not len(other) else other
        pairs = ((getattr(self, name), getattr(other, name)) for name in ("of", "matrices", "parents", "ordinals"))
        of, matrices, parents, ordinals = (_locked(np.concatenate(pair)) for pair in pairs)
        return Placements(of, matrices, parents, ordinals, self.names + other.names)

    def moved(self, matrices: F64) -> Placements:
        """The rows with other transforms of their own (N, 3, 4) or (N, 4, 4)."""
        return replace(self, matrices=_locked(np.ascontiguousarray(matrices[:, :3], np.float64)))

    def under(self, parents: npt.NDArray[Any]) -> Placements:
        """The rows under other nodes (N,)."""
        return replace(self, parents=_locked(parents.astype(np.int32)))

    def showing(self, meshes: npt.NDArray[Any]) -> Placements:
        """The rows with other meshes (N,)."""
        return replace(self, of=_locked(meshes.astype(np.uint32)))

    def numbered(self, ordinals: npt.NDArray[Any]) -> Placements:
        """The rows with other numbers of their nodes (N,)."""
        return replace(self, ordinals=_locked(ordinals.astype(np.uint32)))

    @property
    def squares(self) -> F64:
        """(N, 4, 4) float64, the rows' own transforms with their last row."""
        out = np.zeros((len(self), 4, 4))
        out[:, :3], out[:, 3, 3] = self.matrices, 1
        return out


def table(of: Any, matrices: Any, parents: Any, ordinals: Any, names: tuple[str, ...]) -> Placements:
    """Rows of columns (N,) in any integer type, matrices (N, 3, 4) or (N, 4, 4)."""
    return (
        Placements(names=names)
        .showing(np.asarray(of))
        .moved(matrices)
        .under(np.asarray(parents))
        .numbered(np.asarray(ordinals))
    )


def _locked(values: Any) -> Any:
    values.flags.writeable = False
    return values


NO_PLACEMENTS = Placements()
