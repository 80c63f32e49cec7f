"""What two regions of a level both have: pieces of one that reach past the opening into the other, and faces that lie on each other."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from customs.changes.between import with_division
from customs.changes.primitives import as_triangles, drop_unused_vertices, with_faces
from customs.geometry.closest import Surface
from customs.geometry.cutting import divided, heights
from customs.geometry.raster import spans
from customs.geometry.triangles import corner_normals
from customs.geometry.weld import groups_of_rows
from customs.grounds.faces_standing import Faces, faces_standing, with_own_faces
from customs.grounds.openings import EXACT, Opening
from customs.grounds.regions import of_region
from customs.grounds.things import Mask, Things, things_of
from customs.job import Job
from customs.scene.model import Primitive, Scene

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
STEP = "regions"
CELL = 0.02
"""Metres a column of the plan is wide; wider where a region would have more than MOST of them along a side."""
MOST = 3_000
INWARDS = 0.05
"""Share by which corners are looked at nearer to the middle of their face: what only touches the rim lies inside."""
SAME_WAY = 0.99
"""Least cosine between faces that lie on each other."""
WAYS = tuple((axis, sign) for axis in range(3) for sign in (-1.0, 1.0))
LEAST = 0.4
"""Least part of a normal along an axis of what can lie under a face that faces along it most (1/√3) and SAME_WAY."""


@dataclass(frozen=True, eq=False)
class Columns:
    """The body of a region over the plan: from the least to the greatest height (H, W) of its faces over squares of edge `cell` from
    corner `low` (2,) on; nothing where the least is inf.
    """

    low: F64
    cell: float
    lowest: F64
    highest: F64

    def hold(self, points: F64) -> Mask:
        """(N,) which places (N, 3) lie between."""
        with np.errstate(invalid="ignore"):
            at = np.floor((points[:, [0, 2]] - self.low) / self.cell)
        h, w = self.lowest.shape
        there = np.asarray(((at >= 0) & (at < (w, h))).all(axis=1))
        x, y = np.where(there[:, None], at, 0).astype(np.intp).T
        low, high = self.lowest[y, x], self.highest[y, x]
        height = points[:, 1]
        found: Mask = there & (height >= low - EXACT) & (height <= high + EXACT)
        return found


@dataclass(frozen=True)
class Cut:
    """What was found and cut away: things, and faces of the level itself, of the region, and of the region lying on the level's own."""

    things: int = 0
    own: int = 0
    theirs: int = 0
    doubled: int = 0

    @property
    def anything(self) -> bool:
        """True where something overlapped."""
        return bool(self.things or self.own or self.theirs or self.doubled)


def columns_of(scene: Scene, things: Things, which: Mask, low: F64, high: F64) -> Columns:
    """The body of things (T,) over a box of the plan, corners (3,)."""
    size = np.maximum(high - low, 0)[[0, 2]]
    cell = max(CELL, float(size.max()) / MOST)
    shape = tuple(np.ceil(size / cell).astype(int)[::-1] + 3)
    corner = low[[0, 2]] - cell
    lowest, highest = np.full(shape, np.inf), np.full(shape, -np.inf)
    for f in faces_standing(
        scene, things, which & _meet(things, low - (0, np.inf, 0), high + (0, np.inf, 0))
    ):
        count = f.points.shape[1]
        faces = f.faces.astype(np.int64)[None] + (np.arange(len(f.things)) * count)[:, None, None]
        spans(f.points.reshape(-1, 3), faces.reshape(-1, 3), corner, cell, lowest, highest)
    return Columns(corner, cell, _wider(lowest, np.minimum), _wider(highest, np.maximum))


def _wider(values: F64, best: Callable[[F64, F64], F64]) -> F64:
    """Every square with the best of those beside it: a wall stands on the rim of its floor."""
    out = values.copy()
    out[1:], out[:-1] = best(out[1:], values[:-1]), best(out[:-1], values[1:])
    wide = out.copy()
    out[:, 1:], out[:, :-1] = best(out[:, 1:], wide[:, :-1]), best(out[:, :-1], wide[:, 1:])
    return out


def _meet(things: Things, low: F64, high: F64) -> Mask:
    """(T,) things whose boxes reach into a box."""
    with np.errstate(invalid="ignore"):
        return np.asarray(((things.low <= high) & (things.high >= low)).all(axis=1) & (things.mesh >= 0))


def _box(things: Things, which: Mask) -> tuple[F64, F64]:
    shown = which & np.isfinite(things.low).all(axis=1) & (things.mesh >= 0)
    if not shown.any():
        return np.full(3, np.inf), np.full(3, -np.inf)
    return things.low[shown].min(axis=0), things.high[shown].max(axis=0)


@dataclass
class _Away:
    """What goes: whole things, and by thing and primitive what is left of it."""

    gone: Mask
    parts: dict[int, dict[int, Primitive | None]] = field(default_factory=dict)
    faces: int = 0

    def take(self, scene: Scene, things: Things, f: Faces, mask: Mask) -> None:
        """Faces of a primitive as things show it: `mask` (T, F) of those that go."""
        for k in np.flatnonzero(mask.any(axis=1)).tolist():
            thing = int(f.things[k])
            prim = as_triangles(scene.meshes[int(things.mesh[thing])].primitives[f.number])
            self.put(thing, f.number, prim, f.faces, mask[k])

    def put(
        self, thing: int, number: int, prim: Primitive, faces: npt.NDArray[np.uint32], mask: Mask
    ) -> None:
        """One primitive without the faces (F,) of the `mask`."""
        kept = None if mask.all() else drop_unused_vertices(with_faces(prim, faces[~mask], ~mask))
        self.parts.setdefault(thing, {})[number] = kept
        self.faces += int(mask.sum())

    def settled(self, scene: Scene, things: Things) -> None:
        """Things of which nothing is left go as a whole."""
        for thing, parts in list(self.parts.items()):
            whole = len(scene.meshes[int(things.mesh[thing])].primitives)
            if len(parts) == whole and all(p is None for p in parts.values()):
                self.gone[thing] = True
                del self.parts[thing]


def past(scene: Scene, side: Mask, body: Columns, sill: F64, out: F64, job: Job) -> _Away:
    """What of things (T,) on one side lies past a plane, where `out` points, and within the body of the other side: cut at the plane."""
    things = things_of(scene)
    middle, half = (things.low + things.high) / 2, (things.high - things.low) / 2
    with np.errstate(invalid="ignore"):
        at, reach = (middle - sill) @ out, half @ np.abs(out)
        h, w = body.lowest.shape
        low = np.array([body.low[0], -np.inf, body.low[1]])
        high = np.array([body.low[0] + w * body.cell, np.inf, body.low[1] + h * body.cell])
        beyond = side & (at + reach > EXACT) & _meet(things, low, high)
        crossing = beyond & (at - reach < -EXACT)
    away = _Away(np.zeros(len(things), bool))
    for f in faces_standing(scene, things, beyond & ~crossing):
        job.check()
        corners = f.points[:, f.faces]
        away.take(scene, things, f, _held(body, corners.reshape(-1, 3, 3)).reshape(corners.shape[:2]))
    for t in np.flatnonzero(crossing).tolist():
        job.check()
        for number, prim in enumerate(scene.meshes[int(things.mesh[t])].primitives):
            _cut_one(away, things, t, number, prim, body, sill, out)
    away.settled(scene, things)
    return away


def _held(body: Columns, corners: F64) -> Mask:
    """(N,) triangles (N, 3, 3) that lie within a body with their middle and all corners."""
    middle = corners.mean(axis=1, keepdims=True)
    looked = np.concatenate([middle, corners + (middle - corners) * INWARDS], axis=1)
    return np.asarray(body.hold(looked.reshape(-1, 3)).reshape(-1, 4).all(axis=1))


def _cut_one(
    away: _Away, things: Things, t: int, number: int, prim: Primitive, body: Columns, sill: F64, out: F64
) -> None:
    """One primitive of a thing that stands across the plane."""
    plain = as_triangles(prim)
    if plain.mode != "triangles" or plain.indices is None:
        return
    m = things.matrices[t]
    points = plain.positions.astype(np.float64) @ m[:, :3].T + m[:, 3]
    height = heights(points, sill, out)
    height[np.abs(height) <= EXACT / 2] = 0.0
    faces = plain.indices.reshape(-1, 3)
    cut = divided(faces, groups_of_rows(plain.positions), height)
    new = with_division(plain, cut)
    share = cut.share[:, None]
    points = np.concatenate([points, points[cut.edges[:, 0]] * (1 - share) + points[cut.edges[:, 1]] * share])
    height = np.append(height, np.zeros(len(cut.edges)))
    mask = (height[cut.faces].min(axis=1) >= 0) & (height[cut.faces].max(axis=1) > 0)
    mask[mask] = _held(body, points[cut.faces[mask]])
    if mask.any():
        away.put(t, number, new, cut.faces, mask)


def doubled(scene: Scene, mine: Mask, theirs: Mask, job: Job) -> _Away:
    """Faces of things (T,) `theirs` that lie within EXACT on faces of `mine` and face the same way."""
    things = things_of(scene)
    away = _Away(np.zeros(len(things), bool))
    low, high = (
        best(a, b) for best, a, b in zip((np.maximum, np.minimum), _box(things, mine), _box(things, theirs))
    )
    low, high = low - EXACT, high + EXACT
    if (low > high).any():
        return away
    own = []
    for f in faces_standing(scene, things, mine & _meet(things, low, high)):
        corners = f.points[:, f.faces].reshape(-1, 3, 3)
        own.append(corners[_near(corners, low, high)])
    corners = np.concatenate([np.zeros((0, 3, 3)), *own])
    if not len(corners):
        return away
    job.check()
    own_faces = _Facing(corners)
    # All are asked about at once: each question alone would cost more than its answer.
    asked = list[tuple[Faces, Ints]]()
    corners_of = list[F64]()
    for f in faces_standing(scene, things, theirs & _meet(things, low, high)):
        flat = f.points[:, f.faces].reshape(-1, 3, 3)
        near = np.flatnonzero(_near(flat, low, high))
        if len(near):
            asked.append((f, near))
            corners_of.append(flat[near])
    job.check()
    lying = own_faces.under(np.concatenate([np.zeros((0, 3, 3)), *corners_of]))
    ends = np.cumsum([len(near) for _, near in asked])
    for (f, near), mine in zip(asked, np.split(lying, ends[:-1])):
        mask = np.zeros(len(f.things) * len(f.faces), bool)
        mask[near] = mine
        away.take(scene, things, f, mask.reshape(len(f.things), -1))
    away.settled(scene, things)
    return away


def _near(corners: F64, low: F64, high: F64) -> Mask:
    return np.asarray(((corners.max(axis=1) >= low) & (corners.min(axis=1) <= high)).all(axis=1))


class _Facing:
    """Triangles (N, 3, 3) by the way they face, so that of faces back to back the one is found that faces as what is asked about."""

    def __init__(self, corners: F64) -> None:
        normals = corner_normals(corners)
        self.surfaces: dict[tuple[int, float], Surface] = {}
        for axis, sign in WAYS:
            mine = corners[normals[:, axis] * sign > LEAST]
            if len(mine):
                faces = np.arange(len(mine) * 3).reshape(-1, 3)
                self.surfaces[axis, sign] = Surface(mine.reshape(-1, 3), faces)

    def under(self, corners: F64) -> Mask:
        """(N,) triangles (N, 3, 3) that lie on these with their middle and all corners, facing as they do."""
        out, normals = np.zeros(len(corners), bool), corner_normals(corners)
        most = np.abs(normals).argmax(axis=1)
        for (axis, sign), surface in self.surfaces.items():
            at = np.flatnonzero((most == axis) & (normals[:, axis] * sign > 0))
            out[at] = _lying(surface, corners[at], normals[at])
        return out


def _lying(surface: Surface, corners: F64, normals: F64) -> Mask:
    middle = corners.mean(axis=1)
    found = surface.closest(middle)
    out = (found.distance <= EXACT) & (np.einsum("ij,ij->i", normals, surface.normals[found.face]) > SAME_WAY)
    at = np.flatnonzero(out)
    inwards = corners[at] + (middle[at, None] - corners[at]) * INWARDS
    out[at] = (surface.closest(inwards.reshape(-1, 3)).distance.reshape(-1, 3) <= EXACT).all(axis=1)
    return np.asarray(out)


def cut_away(scene: Scene, number: int, opening: Opening | None, job: Job | None = None) -> tuple[Scene, Cut]:
    """(the scene without what a region and the rest both have, what that was). `opening` is where they meet, its way out into the
    region: what lies past it on either side, within the body of the other, goes, cut in its plane. Without one only faces that lie
    on each other go; of those the level's own stay.
    """
    job = job or Job()
    own = theirs = things = 0
    if opening is not None:
        found = things_of(scene)
        inside = of_region(scene, found, number)
        low, high = (
            best(a, b)
            for best, a, b in zip((np.maximum, np.minimum), _box(found, inside), _box(found, ~inside))
        )
        low, high = low - 2 * EXACT, high + 2 * EXACT
        if (low <= high).all():
            bodies = [columns_of(scene, found, side, low, high) for side in (inside, ~inside)]
            first = past(scene, ~inside, bodies[0], opening.sill, opening.out, job)
            second = past(scene, inside, bodies[1], opening.sill, -opening.out, job)
            own, theirs = first.faces, second.faces
            gone = first.gone | second.gone
            things = int(gone.sum())
            if own or theirs:
                scene = with_own_faces(scene, {**first.parts, **second.parts}, gone, STEP)
    found = things_of(scene)
    inside = of_region(scene, found, number)
    twice = doubled(scene, ~inside, inside, job)
    if twice.faces:
        things += int(twice.gone.sum())
        scene = with_own_faces(scene, twice.parts, twice.gone, STEP)
    return scene, Cut(things, own, theirs, twice.faces)
