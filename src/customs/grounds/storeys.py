"""Storeys of a level: heights with floor to stand on and two metres of headroom, with something overhead but for the lowest."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import face_vectors, triangles_of
from customs.grounds.heights import BIN, LEVEL, Heights, heights_of
from customs.grounds.kinds import kinds_of
from customs.grounds.leaving import left_out
from customs.grounds.rules import GEOMETRY, SHELL, SKY, STRAY, TERRAIN, TOOL
from customs.grounds.things import Things
from customs.job import Job
from customs.scene.kept import kept
from customs.scene.model import Scene

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Mask = npt.NDArray[np.bool_]
HEADROOM = 2.0
"""Metres a storey needs above its floor (common practice)."""
LEAST_AREA, LEAST_SHARE = 4.0, 0.1
"""Square metres of floor a storey needs, and the share of the largest floor's."""
TOGETHER = 0.25
"""Metres within which faces are one floor: tiles on a slab, a rug."""
COVERED = 0.3
"""Share of an upper storey's floor that has something overhead; less is a roof."""
CELL = 0.5
"""Metres of a cell of the plan."""
MOST_CELLS = 4_000_000
WIDE = 4.0
"""Metres from which on a thing is looked at face by face."""
CUT = 1.2
"""Metres above a floor at which a plan is cut (common practice: above the sills, through the windows)."""


@dataclass(frozen=True)
class Storey:
    """A floor at `height` metres with `area` m² to stand on, `covered` the share of it that has something overhead; what it is called."""

    height: float
    area: float
    covered: float
    name: str


def building(scene: Scene) -> Scene:
    """The scene without what a plan does not show: volumes for tools, skies, boxes around the world, strays."""

    def made() -> Scene:
        found = kinds_of(scene)
        gone = found.of(TOOL) | found.of(SKY) | found.of(SHELL) | found.of(STRAY)
        return left_out(scene, found.things, gone)

    return kept("building", scene, made)


def structure(scene: Scene) -> Scene:
    """The building alone, on which people stand; where there is none, all that a plan shows."""

    def made() -> Scene:
        found = kinds_of(scene)
        stays = found.of(GEOMETRY)
        return left_out(scene, found.things, ~stays) if stays.any() else building(scene)

    return kept("structure", scene, made)


def storeys_of(scene: Scene, job: Job | None = None) -> tuple[Storey, ...]:
    """Storeys of a scene in the working frame, the lowest first. Kept while it lives."""
    return kept("storeys", scene, lambda: _storeys(scene, job or Job()))


def _storeys(scene: Scene, job: Job) -> tuple[Storey, ...]:
    whole = structure(scene)
    heights = heights_of(whole, job)
    if not heights.up.any():
        return ()
    found = kinds_of(whole)
    grid = _Grid(whole, found.things, ~found.of(TERRAIN))
    rooms = [
        Storey(h, area, covered, "")
        for h, area in _floors(heights)
        for free, covered in [grid.over(h)]
        if free >= 0.5
    ]
    chosen: list[Storey] = []
    for room in sorted(rooms, key=lambda r: (-round(r.area, 3), r.height)):
        if all(abs(room.height - c.height) >= HEADROOM for c in chosen):
            chosen.append(room)
    chosen.sort(key=lambda r: r.height)
    real = [r for k, r in enumerate(chosen) if k == 0 or r.covered >= COVERED]
    return tuple(
        Storey(round(r.height, 3), round(r.area, 2), round(r.covered, 3), _name(k))
        for k, r in enumerate(real)
    )


def _name(number: int) -> str:
    return "ground floor" if number == 0 else f"storey {number + 1}"


def _floors(heights: Heights) -> list[tuple[float, float]]:
    """(height, area) of everything level that is large enough for a floor."""
    wide = round(TOGETHER / BIN)
    sums = np.convolve(heights.up, np.ones(2 * wide + 1), "same")
    least = max(LEAST_AREA, LEAST_SHARE * float(sums.max()))
    out: list[tuple[float, float]] = []
    left = heights.up.copy()
    while True:
        sums = np.convolve(left, np.ones(2 * wide + 1), "same")
        k = int(np.argmax(sums))
        if sums[k] < least:
            return out
        near = slice(max(k - wide, 0), k + wide + 1)
        # A floor is where most of it is; of several heights that are as large the highest, on which people stand.
        best = left[near]
        at = near.start + int(np.flatnonzero(best >= 0.5 * best.max())[-1])
        h = float(heights.mean[at])
        out.append((h, float(sums[k])))
        left[near] = 0.0


class _Grid:
    """Boxes of things over a plan of cells; of wide ones, a floor of many brushes say, boxes of their level faces."""

    def __init__(self, scene: Scene, things: Things, which: Mask) -> None:
        rows = np.flatnonzero(
            which
            & (things.mesh >= 0)
            & np.isfinite(things.low).all(axis=1)
            & np.isfinite(things.high).all(axis=1)
        )
        low, high = things.low[rows], things.high[rows]
        wide = (high - low)[:, [0, 2]].max(axis=1) > WIDE
        parts = [(low[~wide], high[~wide]), *(_faces(scene, things, t) for t in rows[wide].tolist())]
        self.low, self.high = (np.concatenate([p[k] for p in parts]) for k in (0, 1))
        corner, end = (
            self.low[:, [0, 2]].min(axis=0, initial=np.inf),
            self.high[:, [0, 2]].max(axis=0, initial=-np.inf),
        )
        span = np.maximum(np.nan_to_num(end - corner, neginf=0.0), 1e-6)
        self.cell = max(CELL, float(np.sqrt(span.prod() / MOST_CELLS)))
        self.shape = tuple(int(n) + 1 for n in np.ceil(span / self.cell))
        self.first = np.clip(np.floor((self.low[:, [0, 2]] - corner) / self.cell + 0.25), 0, None).astype(
            np.intp
        )
        self.last = np.maximum(
            np.ceil((self.high[:, [0, 2]] - corner) / self.cell - 0.25).astype(np.intp), self.first + 1
        )

    def under(self, rows: Mask) -> Mask:
        """Cells that one of the boxes (N,) lies over."""
        steps = np.zeros((self.shape[0] + 1, self.shape[1] + 1), np.int64)
        a, b = self.first[rows], np.minimum(self.last[rows], self.shape)
        for x, z, sign in (
            (a[:, 0], a[:, 1], 1),
            (b[:, 0], a[:, 1], -1),
            (a[:, 0], b[:, 1], -1),
            (b[:, 0], b[:, 1], 1),
        ):
            np.add.at(steps, (x, z), sign)
        return np.asarray(steps.cumsum(axis=0).cumsum(axis=1)[:-1, :-1] > 0)

    def floor(self, height: float) -> Mask:
        """Cells with something whose top is the floor."""
        return self.under(np.abs(self.high[:, 1] - height) <= TOGETHER)

    def over(self, height: float) -> tuple[float, float]:
        """(share of the floor that has headroom, share that has something overhead)."""
        floor = self.floor(height)
        count = max(int(floor.sum()), 1)
        level = np.minimum((self.high - self.low)[:, 0], (self.high - self.low)[:, 2]) > 0.6
        low = self.low[:, 1]
        tight = self.under(level & (low > height + TOGETHER) & (low < height + HEADROOM))
        cover = self.under(level & (self.high[:, 1] > height + HEADROOM) & (low > height - TOGETHER))
        return 1 - int((tight & floor).sum()) / count, int((cover & floor).sum()) / count


def _faces(scene: Scene, things: Things, thing: int) -> tuple[F64, F64]:
    """Boxes (low (F, 3), high (F, 3)) of the level faces of a thing as it stands."""
    out = [(np.zeros((0, 3)), np.zeros((0, 3)))]
    m = things.matrices[thing]
    for p in scene.meshes[int(things.mesh[thing])].primitives:
        faces = triangles_of(p)
        if not len(faces):
            continue
        points = p.positions.astype(np.float64) @ m[:, :3].T + m[:, 3]
        vectors = face_vectors(points, faces)
        level = np.abs(vectors[:, 1]) > LEVEL * np.linalg.norm(vectors, axis=1)
        corners = points[faces[level]]
        out.append((corners.min(axis=1), corners.max(axis=1)))
    return np.concatenate([a for a, _ in out]), np.concatenate([b for _, b in out])
