"""Tiles of the plan of a level."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.geometry.weld import unique_rows
from customs.grounds.kinds import Sorted
from customs.grounds.things import Things


def tiles_of(things: Things, edge: float) -> npt.NDArray[np.int64]:
    """(T, 2) the tile, counted along X and Z, that the middle of each thing lies in."""
    return np.floor(np.nan_to_num(things.middle[:, [0, 2]]) / edge).astype(np.int64)


def fullest(found: Sorted, edge: float) -> tuple[tuple[int, int], int]:
    """(the tile with the most triangles, how many)."""
    tiles = tiles_of(found.things, edge)
    if not len(tiles):
        return (0, 0), 0
    first, at = unique_rows([tiles])
    total = np.bincount(at, found.things.triangles(found.meshes).astype(np.float64))
    k = int(total.argmax())
    i, j = tiles[first[k]].tolist()
    return (i, j), int(total[k])
