"""Matrices that count as one, found without comparing each with each."""

from __future__ import annotations

from typing import Generic, TypeVar

import numpy as np
import numpy.typing as npt

T = TypeVar("T")
F64 = npt.NDArray[np.float64]
_ROOTS = np.sqrt([2, 3, 5, 7, 11, 13, 17, 19, 23, 29, 31, 37, 41, 43, 47, 53])
_WEIGHTS = _ROOTS / _ROOTS.sum()
"""Of the entries: their sum is one, so two matrices whose entries differ by d at most have sums no further apart."""


class Alike(Generic[T]):
    """Matrices (4, 4) met so far, each with something; the first whose entries all differ by less than `tolerance` is
    found again.

    They are kept by a weighted sum of their entries, in cells twice as wide as the tolerance: what is alike lies in
    one cell or the next, and what is not hardly ever does.
    """

    def __init__(self, tolerance: float) -> None:
        self.tolerance = tolerance
        self._cells: dict[int, list[tuple[int, F64, T]]] = {}
        self._count = 0

    def __len__(self) -> int:
        return self._count

    def find(self, matrix: F64) -> T | None:
        """What was added with the first matrix like this one; None where there is none, or where it is not finite."""
        cell = self._cell(matrix)
        if cell is None:
            return None
        near = [e for c in (cell - 1, cell, cell + 1) for e in self._cells.get(c, ())]
        alike = [e for e in near if np.abs(e[1] - matrix).max() < self.tolerance]
        return min(alike, key=lambda e: e[0])[2] if alike else None

    def add(self, matrix: F64, what: T) -> None:
        """One more. One that is not finite is like none, itself included."""
        cell = self._cell(matrix)
        if cell is not None:
            self._cells.setdefault(cell, []).append((self._count, matrix, what))
        self._count += 1

    def _cell(self, matrix: F64) -> int | None:
        at = float(_WEIGHTS @ matrix.ravel()) / (2 * self.tolerance)
        return int(np.floor(at)) if np.isfinite(at) else None
