"""Which side of a surface is out, by what can be seen from outside."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.geometry.faces import Repeats, degenerate, repeats
from customs.geometry.inward import inward
from customs.geometry.texcoords import face_areas
from customs.geometry.triangles import face_vectors

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]
Mask = npt.NDArray[np.bool_]
POINTS = 8_000
"""Points spread over a surface that is looked at from outside."""
LEAST_POINTS = 800
MANY = 200_000
"""Faces beyond which not each gets a point of its own."""
GRID = 40
"""Cells along an edge of the picture of them from one side."""


def no_part(flat: Mask, found: Repeats) -> Mask:
    """(F,) faces that are no part of a shell: flat ones, doubles and backs."""
    out: Mask = flat | found.doubled | found.backs
    return out


def turned_inward(positions: F32, faces: U32, known: Mask | None = None) -> Mask:
    """(F,) True for faces that look inward, judged without those `known` (F,) to be no part of
    a shell: the broken ones, doubles and backs, where nothing else is said.

    Shells that edges and volume do not decide are looked at from outside: what shows mostly its back is
    turned.
    """
    out = np.zeros(len(faces), dtype=bool)
    if not len(faces):
        return out
    left_out: Mask = (
        known if known is not None else no_part(degenerate(positions, faces), repeats(positions, faces))
    )
    if not left_out.any():
        return inward(positions, faces, seen_from_outside)
    sound = np.flatnonzero(~left_out)
    if len(sound):
        out[sound] = inward(positions, faces[sound], seen_from_outside)
    return out


def seen_from_outside(positions: F32, faces: U32) -> tuple[F64, F64]:
    """(front (F,), back (F,)): how much of each face is seen from outside, and from which side, in area.

    Points spread over the faces are drawn from 14 directions into a grid of depths; the nearest in each cell
    is seen.
    """
    owner, points, share = _spread(positions.astype(np.float64), faces)
    vectors = face_vectors(positions.astype(np.float64), faces)
    front, back = np.zeros(len(faces)), np.zeros(len(faces))
    low, high = points.min(axis=0), points.max(axis=0)
    size = max(float(np.linalg.norm(high - low)), 1e-30)
    grid = int(np.clip(np.sqrt(len(points) / 6), 12, GRID))
    for way in _directions():
        seen = _nearest((points - (low + high) / 2) / size, way, grid)
        towards = vectors[owner[seen]] @ way
        front += np.bincount(owner[seen], weights=share[seen] * (towards > 0), minlength=len(faces))
        back += np.bincount(owner[seen], weights=share[seen] * (towards < 0), minlength=len(faces))
    return front, back


def _directions() -> F64:
    """(14, 3) unit vectors to the faces and corners of a cube; turned a little, so that none lies in the
    plane of a wall.
    """
    steps = np.array(
        [
            (x, y, z)
            for x in (-1, 0, 1)
            for y in (-1, 0, 1)
            for z in (-1, 0, 1)
            if abs(x) + abs(y) + abs(z) in (1, 3)
        ],
        dtype=float,
    )
    a, b = 0.11, 0.07
    turn = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
    lean = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    out: F64 = (steps / np.linalg.norm(steps, axis=1)[:, None]) @ (turn @ lean).T
    return out


def _nearest(points: F64, way: F64, grid: int) -> npt.NDArray[np.intp]:
    """Points (of size about one) that an eye far out along `way` sees: the nearest of each cell, and those
    just behind it.
    """
    side = np.cross(way, (0.0, 1.0, 0.0) if abs(way[1]) < 0.9 else (1.0, 0.0, 0.0))
    side /= np.linalg.norm(side)
    up = np.cross(side, way)
    cell = np.floor((points @ side + 0.5) * grid).astype(np.int64) * (2 * grid) + np.floor(
        (points @ up + 0.5) * grid
    ).astype(np.int64)
    depth = -(points @ way)
    cell -= cell.min()
    best = np.full(int(cell.max()) + 1, np.inf)
    np.minimum.at(best, cell, depth)
    return np.flatnonzero(depth <= best[cell] + 0.25 / grid)


def _spread(positions: F64, faces: U32) -> tuple[npt.NDArray[np.intp], F64, F64]:
    """(face, point (N, 3), area each stands for) of points spread evenly over the faces, one at least on
    each.

    Where faces are more than MANY, the smallest share their points with their neighbours in the list.
    """
    areas = np.maximum(face_areas(positions.astype(np.float32), faces), 1e-30)
    # A small part needs no more points than its faces can tell apart, and a coarser grid to fill.
    points = int(np.clip(12 * len(faces), LEAST_POINTS, POINTS))
    share = areas / areas.sum() * points
    if len(faces) > MANY:
        share = share * (MANY / points)
        wanted = np.diff(np.floor(np.concatenate([[0.0], np.cumsum(share)]) + 0.5)).astype(np.int64)
    else:
        wanted = np.maximum(1, np.round(share)).astype(np.int64)
    owner = np.repeat(np.arange(len(faces)), wanted)
    place = np.arange(len(owner)) - np.repeat(np.cumsum(wanted) - wanted, wanted)
    # An even spread by the plastic number, as for UVs (Roberts, "The unreasonable effectiveness of
    # quasirandom sequences").
    s, t = (place * 0.7548776662466927 + 0.5) % 1, (place * 0.5698402909980532 + 0.5) % 1
    over = s + t > 1
    s, t = np.where(over, 1 - s, s)[:, None], np.where(over, 1 - t, t)[:, None]
    a, b, c = (positions[faces[owner, k]] for k in range(3))
    return owner, a + s * (b - a) + t * (c - a), np.repeat(areas / np.maximum(wanted, 1), wanted)
