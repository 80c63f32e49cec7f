"""Holes of a mesh closed: over the rims of all its primitives together, with faces that have edges of their own."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.changes.primitives import take_vertices, with_faces
from customs.geometry.rims import closing, open_edges, rims
from customs.geometry.tangents import any_perpendicular
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_of_rows
from customs.later import later
from customs.scene.arrays import finite_rows, frozen
from customs.scene.model import Mesh, Primitive
from customs.scene.transforms import unit_rows

spatial = later("scipy.spatial")
F32 = npt.NDArray[np.float32]
Ints = npt.NDArray[np.int64]


def closed(mesh: Mesh, before: Mesh | None = None, most: int = 0) -> tuple[Mesh, int, int]:
    """(the mesh with its holes closed, how many were, how many were left open). With `before`, only holes all of whose
    rim is new since, and none that were open already counts as left; with `most`, only those of at most so many edges.
    """
    parts = [k for k, p in enumerate(mesh.primitives) if len(triangles_of(p))]
    points, faces, starts = _together([mesh.primitives[k] for k in parts])
    loops, left = rims(points, faces)
    if before is not None and (loops or left):
        new, left = _is_new(points, loops, before), max(left - _odd(before), 0)
        left += sum(0 < share < 1 for share in new)
        loops = [ring for ring, share in zip(loops, new) if share == 1]
    wanted = [ring for ring in loops if not most or len(ring) <= most]
    left += len(loops) - len(wanted)
    prims, homes = list(mesh.primitives), [_home(ring, starts) for ring in wanted]
    for at, k in enumerate(parts):
        mine = [ring for ring, home in zip(wanted, homes) if home == at]
        if mine:
            prims[k] = _with_caps(prims[k], points, mine, int(starts[at]), int(starts[at + 1]))
    return (replace(mesh, primitives=tuple(prims)) if wanted else mesh), len(wanted), left


def _together(prims: list[Primitive]) -> tuple[F32, npt.NDArray[np.uint32], Ints]:
    starts = np.cumsum([0, *(len(p.positions) for p in prims)]).astype(np.int64)
    faces = [triangles_of(p).astype(np.int64) + s for p, s in zip(prims, starts)]
    points = np.concatenate([np.zeros((0, 3), np.float32), *(p.positions for p in prims)])
    return points, np.concatenate([np.zeros((0, 3), np.int64), *faces]).astype(np.uint32), starts


def _odd(mesh: Mesh) -> int:
    """Rims of a mesh that cannot be followed."""
    points, faces, _ = _together([p for p in mesh.primitives if len(triangles_of(p))])
    return rims(points, faces)[1]


def _is_new(points: F32, loops: list[Ints], before: Mesh) -> list[float]:
    """The share of each rim's edges that were not open before."""
    old, faces, _ = _together([p for p in before.primitives if len(triangles_of(p))])
    was, _ = open_edges(old, faces)
    place = groups_of_rows(np.concatenate([points, old])).astype(np.int64)
    count = int(place.max(initial=0)) + 1

    def told(a: Ints, b: Ints) -> Ints:
        return np.minimum(a, b) * count + np.maximum(a, b)

    mine, theirs = place[: len(points)], place[len(points) :]
    open_before = told(theirs[was[:, 0]], theirs[was[:, 1]]) if len(was) else np.zeros(0, np.int64)
    return [
        1 - float(np.isin(told(mine[ring], np.roll(mine[ring], -1)), open_before).mean()) for ring in loops
    ]


def _home(ring: Ints, starts: Ints) -> int:
    """The part that has most of a rim."""
    return int(np.bincount(np.searchsorted(starts, ring, side="right") - 1).argmax())


def _with_caps(prim: Primitive, points: F32, loops: list[Ints], start: int, end: int) -> Primitive:
    """Caps with corners of their own, so that the edge stays sharp and nothing of the rest changes: what hangs on a corner
    is what hangs on the rim's vertex, or on the nearest of this primitive where the rim leaves it.
    """
    ring = np.concatenate(loops)
    inside = (ring >= start) & (ring < end)
    rows = np.where(inside, ring - start, 0)
    if not inside.all():
        sound = np.flatnonzero(finite_rows(prim.positions))
        rows[~inside] = sound[spatial.cKDTree(prim.positions[sound]).query(points[ring[~inside]])[1]]
    count, sizes = len(prim.positions), [len(x) for x in loops]
    where = np.split(np.arange(len(ring)), np.cumsum(sizes)[:-1])
    caps = closing(points[ring], [w.astype(np.int64) for w in where])
    new = take_vertices(prim, np.concatenate([np.arange(count), rows]))
    new = replace(new, positions=_ending(new.positions, points[ring]))
    if new.normals is not None:
        flat = _normals(points[ring], caps, np.repeat(np.arange(len(loops)), sizes))
        new = replace(new, normals=_ending(new.normals, flat))
        if new.tangents is not None:
            tail = np.c_[any_perpendicular(flat), np.ones(len(flat), np.float32)]
            new = replace(new, tangents=_ending(new.tangents, tail))
    faces = np.concatenate([triangles_of(prim), caps + np.uint32(count)])
    added = np.zeros(len(caps), np.uint32)
    return replace(
        with_faces(new, faces),
        source_face=None if prim.source_face is None else frozen(np.r_[prim.source_face, added], np.uint32),
        source_primitive=None
        if prim.source_primitive is None
        else frozen(np.r_[prim.source_primitive, added], np.uint32),
    )


def _normals(points: F32, caps: npt.NDArray[np.uint32], loop: Ints) -> F32:
    """(R, 3) one direction a cap, the mean of its faces by area."""
    a, b, c = (points[caps[:, k]].astype(np.float64) for k in range(3))
    cross = np.cross(b - a, c - a)
    sums = np.stack(
        [np.bincount(loop[caps[:, 0]], cross[:, k], minlength=int(loop.max()) + 1) for k in range(3)], axis=1
    )
    return unit_rows(sums)[loop]


def _ending(values: F32, tail: F32) -> F32:
    """Values with other last rows."""
    return frozen(np.concatenate([values[: len(values) - len(tail)], tail]))
