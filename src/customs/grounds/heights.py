"""How much of a level looks up, and how much looks down, at every height: what storeys are found by."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import face_vectors, triangles_of
from customs.grounds.things import Things, things_of
from customs.job import Job
from customs.scene.kept import kept
from customs.scene.model import Mesh, Scene

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
BIN = 0.05
"""Metres a bin is high."""
FINE = 0.005
"""Metres within which faces of one mesh are at one height."""
LEVEL = 0.7
"""Least height part of a normal that is a floor or a ceiling (up to about 45°)."""
AT_ONCE = 4_000_000
MOST_BINS = 40_000


@dataclass(frozen=True, eq=False)
class Heights:
    """Areas (B,) in m², as seen from above, of what looks up and of what looks down, in bins of BIN metres from `low` (metres) on;
    `mean` (B,) metres at which what looks up lies in each.
    """

    low: float
    up: F64
    down: F64
    mean: F64

    @property
    def at(self) -> F64:
        """(B,) metres of the middles of the bins."""
        return np.asarray(self.low + (np.arange(len(self.up)) + 0.5) * BIN, np.float64)


@dataclass(frozen=True, eq=False)
class Slots:
    """Level faces of one mesh as it is turned, by height: `heights` (K,) above its own origin, `areas` (K,) as seen from above, those
    that look down below zero.
    """

    heights: F64
    areas: F64


def heights_of(scene: Scene, job: Job | None = None) -> Heights:
    """Of all that stands in a scene in the working frame. Kept while it lives."""
    return kept("heights", scene, lambda: _heights(scene, job or Job()))


def turns(things: Things, rows: Ints) -> Iterator[tuple[F64, F64, Ints]]:
    """(unit rows (2, 3) that say heights and areas of a mesh as it is turned, how long both are (N, 2), the things (N,) turned so) of
    things (R,) of one mesh: what is only larger or turned about up has the same.
    """
    m = things.matrices[rows, :, :3]
    said = np.stack([m[:, 1], np.cross(m[:, 2], m[:, 0])], axis=1)
    size = np.linalg.norm(said, axis=2)
    unit = said / np.maximum(size, 1e-30)[..., None]
    _, first, which = np.unique(
        np.round(unit.reshape(-1, 6), 4) + 0.0, axis=0, return_index=True, return_inverse=True
    )
    which = which.reshape(-1)
    order = np.argsort(which, kind="stable")
    ends = np.searchsorted(which[order], np.arange(len(first) + 1))
    for k, f in enumerate(first.tolist()):
        mine = order[ends[k] : ends[k + 1]]
        yield unit[f], size[mine], rows[mine]


def _slots(mesh: Mesh, turn: F64) -> Slots:
    heights: list[F64] = []
    areas: list[F64] = []
    for p in mesh.primitives:
        faces = triangles_of(p)
        if not len(faces):
            continue
        points = p.positions.astype(np.float64)
        with np.errstate(invalid="ignore", over="ignore"):
            vectors = face_vectors(points, faces).astype(np.float64) / 2
            up = vectors @ turn[1]
            middle = (points @ turn[0])[faces].mean(axis=1)
            size = np.linalg.norm(vectors, axis=1) * np.linalg.norm(turn[1])
        level = (np.abs(up) > LEVEL * size) & np.isfinite(middle)
        heights.append(middle[level])
        areas.append(up[level])
    if not heights:
        return Slots(np.zeros(0), np.zeros(0))
    h, a = np.concatenate(heights), np.concatenate(areas)
    keys, which = np.unique(np.stack([np.round(h / FINE), np.sign(a)], axis=1), axis=0, return_inverse=True)
    which = which.reshape(-1)
    whole = np.bincount(which, np.abs(a), minlength=len(keys))
    middle = np.bincount(which, h * np.abs(a), minlength=len(keys)) / np.maximum(whole, 1e-30)
    return Slots(middle, whole * keys[:, 1])


def _heights(scene: Scene, job: Job) -> Heights:
    things = things_of(scene)
    shown = np.flatnonzero(
        (things.mesh >= 0)
        & np.isfinite(things.matrices).all(axis=(1, 2))
        & np.isfinite(things.low).all(axis=1)
    )
    if not len(shown):
        return Heights(0.0, np.zeros(0), np.zeros(0), np.zeros(0))
    low = float(np.floor(things.low[shown, 1].min() / BIN) * BIN)
    count = int(min(np.ceil((things.high[shown, 1].max() - low) / BIN) + 1, MOST_BINS))
    up, down, moment = np.zeros(count), np.zeros(count), np.zeros(count)
    order = shown[np.argsort(things.mesh[shown], kind="stable")]
    meshes, starts = np.unique(things.mesh[order], return_index=True)
    for k, (m, rows) in enumerate(zip(meshes.tolist(), np.split(order, starts[1:]))):
        job.check()
        job.progress(k / len(meshes), "Heights")
        for turn, size, those in turns(things, rows):
            slots = _slots(scene.meshes[m], turn)
            for part in np.array_split(
                np.arange(len(those)), max(1, len(those) * len(slots.heights) // AT_ONCE)
            ):
                at = things.matrices[those[part], 1, 3][:, None] + slots.heights[None] * size[part, :1]
                which = np.clip((at - low) / BIN + 1e-6, 0, count - 1).astype(np.intp).reshape(-1)
                area = (slots.areas[None] * size[part, 1:]).reshape(-1)
                up += np.bincount(which, np.maximum(area, 0), minlength=count)
                moment += np.bincount(which, np.maximum(area, 0) * at.reshape(-1), minlength=count)
                down += np.bincount(which, np.maximum(-area, 0), minlength=count)
    middles = low + (np.arange(count) + 0.5) * BIN
    mean = np.where(up > 0, moment / np.where(up > 0, up, 1.0), middles)
    return Heights(low, up, down, mean)
