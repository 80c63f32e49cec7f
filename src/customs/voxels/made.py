"""An asset as voxels, from its surface to a mesh of the sides that are seen."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from customs.errors import LimitError, StepError
from customs.geometry.closest import Surface
from customs.job import Job
from customs.later import later
from customs.scene.model import Scene
from customs.scene.voxels import Voxels
from customs.voxels.fill import Frame, frame_of, inside, touched
from customs.voxels.palette import chosen, nearest
from customs.voxels.shell import shell, thin_cells
from customs.voxels.surface import CLOSED, OPEN, Skin, colours_at, skin_of

ndimage = later("scipy.ndimage")
Bytes = npt.NDArray[np.uint8]
Mask = npt.NDArray[np.bool_]
LARGEST = 400_000_000
"""Cells of a grid, empty ones too."""


@dataclass(frozen=True, eq=False)
class Wanted:
    """How voxels are made: cells along the longest side; `thickness` metres of a shell, 0 for solid; at most `colours`, or those of `palette`
    (K, 3), mixed by dots on request; parts thinner than a cell kept or dropped.
    """

    side: int
    thickness: float = 0.0
    colours: int = 256
    palette: Bytes | None = None
    dither: bool = False
    thin: Literal["keep", "drop"] = "keep"


def voxels_of(scene: Scene, wanted: Wanted, job: Job | None = None) -> Voxels:
    """Of an asset in the working frame. Raises StepError where there is no surface, or nothing would be left; LimitError for a grid that is
    too large.
    """
    job = job or Job()
    skin = skin_of(scene)
    good = np.isfinite(skin.points[skin.faces]).all(axis=(1, 2))
    faces = skin.faces[good]
    if not len(faces):
        raise StepError(f"{scene.name} has no faces", "a surface to fill", "Leave voxels out.")
    frame = frame_of(skin.points[np.unique(faces)], wanted.side)
    if int(np.prod(frame.shape, dtype=np.int64)) > LARGEST:
        raise LimitError(
            f"a grid of {' × '.join(map(str, frame.shape))} cells",
            f"{LARGEST:,} at most",
            "Choose a smaller side.",
        )
    job.progress(0.1, "Filling cells")
    kind = skin.kind[good]
    solid = inside(skin.points, faces[kind == CLOSED], frame) | inside(
        skin.points, faces[kind == OPEN], frame, False
    )
    job.check()
    surface, numbers = Surface(skin.points, faces), np.flatnonzero(good)
    thin = thin_cells(solid, touched(skin.points, faces, frame))
    thin = thin[_looked_at(skin, numbers, thin, frame, surface)[1]]
    job.progress(0.4, "Shell")
    filled = shell(solid, frame, surface, wanted.thickness) if wanted.thickness > 0 else solid.copy()
    if wanted.thin == "keep":
        filled[tuple(thin.T)] = True
    if not filled.any():
        raise StepError(
            f"nothing of {scene.name} is as thick as a cell of {frame.cell * 1000:.1f} mm", "parts that fill a cell",
            "Choose a larger side, or keep thin parts.",
        )  # fmt: skip
    job.check()
    job.progress(0.6, "Colours")
    cells, palette = _coloured(skin, numbers, filled, frame, surface, wanted)
    return Voxels(_standing(frame, filled), frame.cell, cells, palette, thin)


def _standing(frame: Frame, filled: Mask) -> npt.NDArray[np.float64]:
    """(3,) metres of the grid's corner once it is moved, by less than a cell, so that what is filled stands where the asset stood: as low, and about
    the same middle.
    """
    at = np.argwhere(filled)
    low, high = at.min(axis=0), at.max(axis=0) + 1
    moved = frame.low + (np.array(frame.shape) - (low + high)) / 2 * frame.cell
    moved[1] = frame.low[1] - low[1] * frame.cell
    return np.asarray(moved)


def _looked_at(
    skin: Skin, numbers: npt.NDArray[np.intp], at: npt.NDArray[np.integer], frame: Frame, surface: Surface
) -> tuple[Bytes, Mask]:
    """(colours (N, 3), which are there (N,)) of the surface nearest to the middles of cells (N, 3)."""
    found = surface.closest(frame.low + (at + 0.5) * frame.cell)
    return colours_at(skin, numbers[found.face], found.shares)


def _coloured(
    skin: Skin, numbers: npt.NDArray[np.intp], filled: Mask, frame: Frame, surface: Surface, wanted: Wanted
) -> tuple[npt.NDArray[np.uint32], Bytes]:
    """(cells, palette): what is seen has the colour of the nearest place of the surface, what lies inside that of the nearest seen cell."""
    inner = ndimage.binary_erosion(filled)
    seen = np.argwhere(filled & ~inner)
    colours = _looked_at(skin, numbers, seen, frame, surface)[0]
    palette = wanted.palette if wanted.palette is not None else chosen(colours, wanted.colours)
    index = nearest(colours, palette, seen if wanted.dither else None, frame.shape)
    cells = np.zeros(frame.shape, np.uint32)
    cells[tuple(seen.T)] = index + 1
    if inner.any():
        at = ndimage.distance_transform_edt(cells == 0, return_distances=False, return_indices=True)
        cells = np.where(filled, cells[tuple(at)], 0)
    used = np.unique(cells[cells > 0])
    place = np.zeros(len(palette) + 1, np.uint32)
    place[used] = np.arange(1, len(used) + 1)
    return place[cells], palette[used - 1]
