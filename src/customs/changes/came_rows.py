"""Levels of detail among what a scene repeats: rows that show coarser versions of a mesh where its finest stands too."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.changes.came_levels import AFTER, BEFORE
from customs.scene.folding import row_worlds
from customs.scene.kept import kept
from customs.scene.model import Scene

PLACE = 1e-3
"""Metres within which two rows stand in one place."""


@dataclass(frozen=True, eq=False)
class RowLevels:
    """(N,) `coarser` rows, whose finest stands in the same place; `sets` is how many such finest there are."""

    coarser: npt.NDArray[np.bool_]
    sets: int


def row_levels(scene: Scene) -> RowLevels:
    """Of all rows, kept while the scene lives."""
    return kept("levels among rows", scene, lambda: _row_levels(scene))


def _row_levels(scene: Scene) -> RowLevels:
    rows = scene.placements
    none = RowLevels(np.zeros(len(rows), bool), 0)
    texts, of_name = np.unique(np.array(rows.names, object).astype(str), return_inverse=True)
    told = [_level_of(t) for t in texts.tolist()]
    if len(rows) == 0 or all(level < 0 for _, level in told):
        return none
    bases, base_of = np.unique([b for b, _ in told], return_inverse=True)
    levels = np.array([level for _, level in told])
    # A plain name is the finest of those that are called so with a number.
    numbered = np.zeros(len(bases), bool)
    numbered[base_of[levels >= 0]] = True
    at = np.flatnonzero(rows.shows & numbered[base_of][of_name])
    places = np.round(row_worlds(scene)[at][:, :, 3] / PLACE)
    key = np.concatenate(
        [base_of[of_name[at], None].astype(np.float64), rows.above[at, None], places], axis=1
    )
    _, group = np.unique(key + 0.0, axis=0, return_inverse=True)
    group = group.reshape(-1)
    level = levels[of_name[at]]
    finest = np.full(group.max(initial=-1) + 1, 1 << 30)
    np.minimum.at(finest, group, level)
    coarser = level > finest[group]
    out = np.zeros(len(rows), bool)
    out[at[coarser]] = True
    return RowLevels(out, len(np.unique(group[coarser])))


def _level_of(name: str) -> tuple[str, int]:
    """(the thing, its level or −1 where the name says none)."""
    match = BEFORE.fullmatch(name) or AFTER.fullmatch(name)
    return (match["base"].lower(), int(match["level"])) if match is not None else (name.lower(), -1)
