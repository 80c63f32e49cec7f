"""Of a filled grid only what lies near its surface; parts thinner than a cell."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.geometry.closest import Surface
from customs.later import later
from customs.voxels.fill import Frame

ndimage = later("scipy.ndimage")
F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]
DIAGONAL = 3**0.5


def shell(solid: Mask, frame: Frame, surface: Surface, thickness: float) -> Mask:
    """Of the cells (X, Y, Z) inside a surface those whose middles lie within `thickness` metres of it."""
    # How far the nearest empty cell is bounds how far the surface is: only what lies between is asked exactly.
    away = ndimage.distance_transform_edt(np.pad(solid, 1))[1:-1, 1:-1, 1:-1] * frame.cell
    near = solid & (away <= thickness + frame.cell * DIAGONAL)
    at = np.argwhere(near)
    distance = surface.closest(frame.low + (at + 0.5) * frame.cell).distance
    out = np.zeros_like(solid)
    out[tuple(at[distance <= thickness].T)] = True
    return out


def thin_cells(solid: Mask, touched: Ints) -> Ints:
    """(N, 3) cells that are not filled of parts too thin to be: those a surface runs through with nothing filled beside them, and what hangs
    together with them as far as no thick part is beside it, so that what tapers does not fall to pieces.
    """
    every = ndimage.generate_binary_structure(3, 3)
    run = np.zeros_like(solid)
    run[tuple(touched.T)] = True
    thick = ndimage.binary_dilation(ndimage.binary_opening(solid), every)
    lost = run & ~ndimage.binary_dilation(solid, every)
    whole = ndimage.binary_propagation(lost, every, mask=(run | solid) & ~thick | lost)
    return np.argwhere(whole & run & ~solid).astype(np.int64)
