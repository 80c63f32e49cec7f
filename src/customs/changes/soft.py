"""A spot of the surface moved, turned and scaled, what is around it following less and less along the surface."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.changes.standing_parts import Whole, moved_to, with_parts
from customs.geometry.along import distances, falloff
from customs.geometry.choosing import mirrored
from customs.geometry.normals import smooth_normals
from customs.later import later
from customs.scene.arrays import finite_rows, frozen
from customs.scene.model import Primitive, Scene
from customs.scene.transforms import unit_rows

rotations = later("scipy.spatial.transform")
F64 = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
ACROSS = np.array([-1.0, 1.0, 1.0])
TURNED_ACROSS = np.array([1.0, -1.0, -1.0])
OTHER_SIDE = 1e-3
"""How far from its mirror image a face may be and still be the one on the other side, as a share of the extent."""


@dataclass(frozen=True)
class Pull:
    """What is done to a spot: moved by metres, turned by degrees about X, Y, Z, scaled, all about its own middle; what is
    within `reach` metres along the surface follows.
    """

    move: tuple[float, float, float] = (0.0, 0.0, 0.0)
    turn: tuple[float, float, float] = (0.0, 0.0, 0.0)
    scale: float = 1.0
    reach: float = 0.0

    @property
    def across(self) -> Pull:
        """The same on the other side of x = 0."""
        move, turn = np.array(self.move) * ACROSS, np.array(self.turn) * TURNED_ACROSS
        return replace(self, move=tuple(move.tolist()), turn=tuple(turn.tolist()))


@dataclass(frozen=True, eq=False)
class Grip:
    """What follows a spot: the vertices (M,) of the whole that do, their share (M,) from 0 to 1, and the spot's middle (3,)."""

    rows: npt.NDArray[np.intp]
    share: F64
    middle: F64


def other_side(whole: Whole, spot: Mask) -> Mask:
    """The faces (F,) opposite a spot."""
    return mirrored(whole.centres, spot, OTHER_SIDE * whole.size)


def grip_of(whole: Whole, spot: Mask, reach: float) -> Grip:
    """What follows the faces `spot` (F,). Vertices at one place follow alike, so seams stay shut."""
    count = int(whole.place.max(initial=-1)) + 1
    points = np.zeros((count, 3))
    points[whole.place] = whole.points
    seeds = np.zeros(count, dtype=bool)
    seeds[whole.places[spot]] = True
    share = falloff(distances(points, whole.places, seeds, reach), reach)[whole.place]
    rows = np.flatnonzero(share > 0)
    held = points[seeds & np.isfinite(points).all(axis=1)]
    middle = held.mean(axis=0) if len(held) else np.zeros(3)
    return Grip(rows, share[rows], middle)


def grips_of(whole: Whole, spot: Mask, reach: float, both: bool) -> tuple[Grip, ...]:
    """What follows a spot, and what follows the one opposite where `both` sides are meant and there is one."""
    there = other_side(whole, spot) if both else np.zeros_like(spot)
    return tuple(grip_of(whole, s, reach) for s in (spot, there) if s.any())


def pulled_all(points: F64, grips: Sequence[Grip], pull: Pull) -> F64:
    """The points (V, 3) after a pull of the first grip, and the mirrored one of the second where there is one."""
    out = pulled(points, grips[0], pull)
    for grip in grips[1:]:
        out = out + (pulled(points, grip, pull.across) - points)
    return out


def pulled(points: F64, grip: Grip, pull: Pull) -> F64:
    """The points (V, 3) metres after a pull; only those the grip holds differ."""
    out, w = points.copy(), grip.share[:, None]
    arm = points[grip.rows] - grip.middle
    turn = rotations.Rotation.from_euler("XYZ", pull.turn, degrees=True).as_rotvec()
    new = rotations.Rotation.from_rotvec(w * turn).apply(arm) if np.any(turn) else arm
    new = new * pull.scale**w if pull.scale != 1 else new
    out[grip.rows] = grip.middle + new + w * np.asarray(pull.move, np.float64)
    return out


def with_points(scene: Scene, whole: Whole, points: F64) -> Scene:
    """The scene with the vertices of the whole at `points` (V, 3); normals and tangents lean as the faces around do."""
    new: dict[tuple[int, int], Primitive | None] = {}
    for k, part in enumerate(whole.parts):
        prim = moved_to(scene, part, whole.vertices(k, points))
        if prim is not part.prim:
            new[part.mesh, part.number] = _leaning(
                part.prim, prim, part.faces, whole.vertices(k, whole.place)
            )
    return with_parts(scene, new) if new else scene


def _around(
    before: Primitive, after: Primitive, faces: npt.NDArray[np.uint32], place: npt.NDArray[np.int64]
) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.intp], npt.NDArray[np.uint32]]:
    """(vertices whose faces have moved, those and all that share a face with them, the faces (F, 3) among these by their
    numbers there): the rest of a large mesh need not be looked at.
    """
    moved = (before.positions != after.positions).any(axis=1)
    touched = np.zeros(len(moved), dtype=bool)
    touched[faces[moved[faces].any(axis=1)]] = True
    # Vertices at one place share their normal.
    there = np.zeros(int(place.max(initial=-1)) + 1, dtype=bool)
    there[place[touched]] = True
    touched = there[place]
    sound = finite_rows(before.positions)
    star = faces[touched[faces].any(axis=1) & sound[faces].all(axis=1)]
    near = np.unique(star).astype(np.intp)
    return near[touched[near]], near, np.searchsorted(near, star).astype(np.uint32)


def _leaning(
    before: Primitive, after: Primitive, faces: npt.NDArray[np.uint32], place: npt.NDArray[np.int64]
) -> Primitive:
    """Directions turned by what turns the mean normal of the faces at each place; those that do not turn stay as they are."""
    if before.normals is None:
        return after
    rows, near, number = _around(before, after, faces, place)
    a, b = (
        smooth_normals(p.positions[near], number).astype(np.float64)[np.searchsorted(near, rows)]
        for p in (before, after)
    )
    axis, cosine = np.cross(a, b), np.einsum("ij,ij->i", a, b)

    def turned(values: Any) -> Any:
        # Rodrigues' formula for the smallest turn that takes one unit vector to another.
        v, out = values[rows, :3].astype(np.float64), values.copy()
        dot = np.einsum("ij,ij->i", axis, v)[:, None] / np.maximum(1 + cosine, 1e-9)[:, None]
        out[rows, :3] = unit_rows(v * cosine[:, None] + np.cross(axis, v) + axis * dot)
        return frozen(out)

    tangents = None if after.tangents is None else turned(after.tangents)
    return replace(after, normals=turned(after.normals), tangents=tangents)
