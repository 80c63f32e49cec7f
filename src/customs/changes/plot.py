"""Plots: a grid over an asset's footprint from above, whose cells are given to areas."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.raster import covered
from customs.geometry.triangles import triangles_of
from customs.motion.posing.pose import posed_scene_points
from customs.scene.folding import unfolded
from customs.scene.kept import kept
from customs.scene.model import Scene
from customs.scene.tree import mesh_nodes

Mask = npt.NDArray[np.bool_]
Letters = npt.NDArray[np.str_]
NONE = "."
"""A cell that is given to nobody."""
MOST = 256
"""Cells along a side at most."""
TIMES, SHARE = 4, 0.5
"""Samples a cell and side, and the share of them under the asset from which the cell is part of its footprint."""


@dataclass(frozen=True, eq=False)
class Footprint:
    """Cells `cell` metres wide: `inside` (R, C) those under the asset, rows from the back (−Z) to the front, columns from −X to
    +X, about the middle of its box; `low` is the corner at −X and −Z (metres).
    """

    cell: float
    low: tuple[float, float]
    inside: Mask


def footprint_of(scene: Scene, cell: float) -> Footprint | None:
    """The footprint of a scene at rest, seen from above; None where nothing has a surface, or where there would be more than
    MOST cells along a side. Kept while the scene lives.
    """
    return kept(("footprint", cell), scene, lambda: _found(scene, cell))


def _found(scene: Scene, cell: float) -> Footprint | None:
    whole = unfolded(scene) if len(scene.placements) else scene
    points, first, faces = posed_scene_points(whole), 0, []
    prims = [p for n in mesh_nodes(whole) for p in whole.meshes[whole.nodes[n].mesh or 0].primitives]
    for some, prim in zip(points, prims):
        faces.append(triangles_of(prim).astype(np.int64) + first)
        first += len(some)
    if not sum(len(f) for f in faces):
        return None
    at, every = np.concatenate(points), np.concatenate(faces)
    good: Mask = np.asarray(np.isfinite(at).all(axis=1))
    every = every[good[every].all(axis=1)]
    if not len(every):
        return None
    used = at[np.unique(every)][:, [0, 2]]
    low, high = used.min(axis=0), used.max(axis=0)
    count = np.maximum(np.ceil((high - low) / cell - 1e-6), 1)
    if count.max() > MOST:
        return None
    columns, rows = int(count[0]), int(count[1])
    corner = (low + high) / 2 - count * cell / 2
    flat = ((at[:, [0, 2]] - corner) / (count * cell)).astype(np.float32)
    flat[~good] = 0
    # What stands upright has no area from above: it is not over anything either.
    a, b, c = (flat[every[:, k]].astype(np.float64) for k in range(3))
    every = every[(b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) != (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])]
    owner, _ = covered(flat, every.astype(np.uint32), columns * TIMES, rows * TIMES)
    share = (owner >= 0).reshape(rows, TIMES, columns, TIMES).mean(axis=(1, 3))
    return Footprint(cell, (float(corner[0]), float(corner[1])), share >= SHARE)


def letters_of(rows: Sequence[str], shape: tuple[int, int]) -> tuple[Letters, int]:
    """((R, C) letters of a plot on a footprint of `shape`, how many that are given lie beyond it). Shorter rows end in NONE."""
    out, beyond = np.full(shape, NONE), 0
    for r, row in enumerate(rows):
        for_row = np.array(list(row), dtype="<U1")
        given = for_row != NONE
        if r >= shape[0]:
            beyond += int(given.sum())
            continue
        keep = min(len(for_row), shape[1])
        out[r, :keep] = for_row[:keep]
        beyond += int(given[keep:].sum())
    return out, beyond


def rows_of(letters: Letters) -> tuple[str, ...]:
    """The text rows of (R, C) letters."""
    return tuple("".join(row) for row in letters.tolist())


@dataclass(frozen=True)
class Plotted:
    """A plot held against a footprint: cells by area, those inside that are given to nobody, those given that lie outside, pairs
    of cells left and right that are given to different ones, and letters that are no area.
    """

    counts: Mapping[str, int]
    left_over: int
    outside: int
    uneven: int
    strange: tuple[str, ...]


def plotted(rows: Sequence[str], footprint: Footprint, areas: Sequence[str]) -> Plotted:
    """`rows` held against a footprint."""
    letters, beyond = letters_of(rows, footprint.inside.shape)
    given = letters != NONE
    both = footprint.inside & footprint.inside[:, ::-1]
    return Plotted(
        {a: int((letters == a).sum()) for a in areas},
        int((footprint.inside & ~given).sum()),
        int((given & ~footprint.inside).sum()) + beyond,
        int(((letters != letters[:, ::-1]) & both).sum()) // 2,
        tuple(sorted(set(letters[given].tolist()) - set(areas))),
    )


def proposed(footprint: Footprint, areas: Sequence[str], least: Mapping[str, int] = {}) -> tuple[str, ...]:
    """A plot that fills the footprint with bands across it, one area after another from the back, as even as they come: left
    and right are alike. An area gets `least` cells where there are enough.
    """
    letters = np.full(footprint.inside.shape, NONE)
    across = footprint.inside.sum(axis=1)
    filled, total = np.flatnonzero(across).tolist(), int(across.sum())
    ends = np.cumsum(_shares(total, areas, least))
    number, so_far = 0, 0
    for k, row in enumerate(filled if areas else ()):
        letters[row] = areas[number]
        so_far += int(across[row])
        # On to the next one where this has its share, or where the rows left are only enough for one each.
        last, left = number == len(areas) - 1, len(filled) - k - 1
        after = int(across[filled[k + 1]]) if left else 0
        if not last and (so_far + after / 2 > ends[number] or left <= len(areas) - number - 1):
            number += 1
    letters[~footprint.inside] = NONE
    return rows_of(letters)


def _shares(total: int, areas: Sequence[str], least: Mapping[str, int]) -> npt.NDArray[np.float64]:
    """(A,) cells each area is to have: what it needs, and an even part of the rest."""
    needed = np.array([max(least.get(a, 1), 1) for a in areas], np.float64)
    return needed + max(total - needed.sum(), 0) / max(len(areas), 1)
