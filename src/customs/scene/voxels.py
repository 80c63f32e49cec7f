"""A grid of unit cells an asset is made of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.scene.kept import kept


@dataclass(frozen=True, eq=False)
class Voxels:
    """Cells of edge `cell` metres from corner `low` (3,) metres on along X, Y, Z (working frame). `cells` (X, Y, Z) uint32 is 0 for an
    empty cell, else one more than the place of its colour in `palette` (K, 3) uint8, sRGB. `thin` are the cells (N, 3) of parts thinner than a
    cell, `mark` tells the mesh they are shown by.
    """

    low: npt.NDArray[np.float64]
    cell: float
    cells: npt.NDArray[np.uint32]
    palette: npt.NDArray[np.uint8]
    thin: npt.NDArray[np.int64]
    mark: int = 0

    @property
    def count(self) -> int:
        """Cells that are not empty."""
        return int(self.counts().sum())

    def counts(self) -> npt.NDArray[np.intp]:
        """(K,) cells of each colour; counted once."""
        most = len(self.palette) + 1
        return kept(
            "cells by colour", self.cells, lambda: np.bincount(self.cells.reshape(-1), minlength=most)[1:]
        )

    def filled(self) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.intp]]:
        """(places (N, 3) of the cells that are not empty, their colours (N,))."""
        at = np.argwhere(self.cells > 0)
        return at, self.cells[tuple(at.T)].astype(np.intp) - 1

    def centres(self, at: npt.NDArray[np.integer]) -> npt.NDArray[np.float64]:
        """(N, 3) metres of the middles of cells (N, 3)."""
        return np.asarray(self.low + (at + 0.5) * self.cell)
