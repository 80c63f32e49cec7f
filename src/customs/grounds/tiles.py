"""Tiles of the plan of a level."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.grounds.kinds import Sorted
from customs.grounds.things import Things


def tiles_of(things: Things, edge: float) -> npt.NDArray[np.int64]:
    """(T, 2) the tile, counted along X and Z, that the middle of each thing lies in."""
    return np.floor(np.nan_to_num(things.middle[:, [0, 2]]) / edge).astype(np.int64)


def fullest(found: Sorted, edge: float) -> tuple[tuple[int, int], int]:
    """(the tile with the most triangles, how many)."""
    tiles, at = np.unique(tiles_of(found.things, edge), axis=0, return_inverse=True)
    if not len(tiles):
        return (0, 0), 0
    total = np.bincount(at.reshape(-1), found.things.triangles(found.meshes).astype(np.float64))
    k = int(total.argmax())
    return (int(tiles[k, 0]), int(tiles[k, 1])), int(total[k])
