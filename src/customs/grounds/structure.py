"""How things stand to each other: around all others, far away, twice in one place, wide, thin."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.weld import unique_rows
from customs.grounds.things import Mask, MeshColumns, Things

F64 = npt.NDArray[np.float64]
SAME = 1e-4
"""Metres and shares of a turn within which two stand in one place."""
FAR = 10.0
"""A stray stands more than this many times the reach of the bulk beside it."""
MOST = 0.02
"""Share of all things that strays may be: what is more is a part of the level."""
WIDE = 0.4
"""Share of the plan that terrain covers at least, each way."""
THIN = 0.02
NEARLY = 0.01
"""Share of the others that may reach past a thing that is around all."""


@dataclass(frozen=True, eq=False)
class Structure:
    """(T,) of things each: the same mesh stands there already; far from the rest; around the rest; fine inside of all; wide; level;
    thin.
    """

    double: Mask
    stray: Mask
    around: Mask
    domed: Mask
    wide: Mask
    level: Mask
    thin: Mask


def structure_of(things: Things, meshes: MeshColumns) -> Structure:
    """How things stand."""
    shows = (things.mesh >= 0) & np.isfinite(things.low).all(axis=1)
    double = doubles(things, shows)
    stray = strays(things, shows & ~double)
    bulk = shows & ~double & ~stray
    around = _around(things, bulk)
    inner = bulk & ~around
    low, high = (
        (things.low[inner].min(axis=0), things.high[inner].max(axis=0))
        if inner.any()
        else (np.zeros(3), np.zeros(3))
    )
    reach = np.maximum(high - low, 1e-9)
    with np.errstate(invalid="ignore"):
        size = things.size
        wide = (size[:, [0, 2]] >= WIDE * reach[[0, 2]]).all(axis=1)
        flat = size[:, 1] <= 0.35 * np.maximum(size[:, 0], size[:, 2])
        thin = size.min(axis=1) <= THIN * size.max(axis=1)
    share = np.append(meshes.level, 0.0)[things.mesh]
    fine = np.append(meshes.triangles, 0)[things.mesh] > 200
    return Structure(
        double, stray, around, around & fine, wide & shows, flat & shows & (share >= 0.6), thin & shows
    )


def doubles(things: Things, shows: Mask) -> Mask:
    """(T,) things whose mesh stands in the same place already, whatever stood there first."""
    at = np.flatnonzero(shows)
    out = np.zeros(len(things), bool)
    if len(at) < 2:
        return out
    scale = np.maximum(np.abs(things.matrices[at][:, :, :3]).max(axis=(1, 2)), 1e-12)
    turns = np.round(things.matrices[at][:, :, :3] / scale[:, None, None] / SAME)
    numbers = np.concatenate(
        [
            things.mesh[at, None],
            np.round(things.matrices[at][:, :, 3] / SAME),
            turns.reshape(-1, 9),
            np.round(np.log(scale) / SAME)[:, None],
        ],
        axis=1,
    )
    first, _ = unique_rows([np.nan_to_num(numbers)])
    again = np.ones(len(at), bool)
    again[first] = False
    out[at[again]] = True
    return out


def strays(things: Things, shows: Mask) -> Mask:
    """(T,) things that stand far beyond the bulk of all."""
    out = np.zeros(len(things), bool)
    at = np.flatnonzero(shows)
    if len(at) < 8:
        return out
    middle = things.middle[at]
    low, mid, high = np.quantile(middle, [0.1, 0.5, 0.9], axis=0)
    reach = max(float(np.linalg.norm(high - low)), 1.0)
    far = np.linalg.norm(middle - mid, axis=1) > FAR * reach
    # What reaches back to the bulk is large, not far.
    near = ((things.low[at] <= high + reach) & (things.high[at] >= low - reach)).all(axis=1)
    far &= ~near
    if far.mean() <= MOST or far.sum() <= 3:
        out[at[far]] = True
    return out


def _around(things: Things, bulk: Mask) -> Mask:
    """(T,) things whose box holds nearly all others and stands off from them on five sides at least."""
    out = np.zeros(len(things), bool)
    at = np.flatnonzero(bulk)
    if len(at) < 8:
        return out
    size = things.size[at].max(axis=1)
    # Only the few largest can be around all others.
    for k in at[np.argsort(-size, kind="stable")[:8]].tolist():
        others = at[(at != k) & ~out[at]]
        low, high, reach = things.low[others], things.high[others], float(things.size[k].max())

        def room(margin: float, k: int = k, low: F64 = low, high: F64 = high) -> Mask:
            """(6,) sides on which nearly all others keep so far away from its own."""
            past = [
                (low < things.low[k] + margin).mean(axis=0),
                (high > things.high[k] - margin).mean(axis=0),
            ]
            return np.asarray(np.concatenate(past) <= NEARLY)

        out[k] = bool(room(-0.01 * reach).all() and room(0.04 * reach).sum() >= 5)
    return out
