"""Measuring on a scene as it stands: between points, along an edge, an angle, a thickness."""

from __future__ import annotations

from collections.abc import Set
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.changes.standing_parts import Whole, whole_of
from customs.geometry.rays import hits, on_plane
from customs.picture.camera import Orbit, ray_through
from customs.scene.key import Key
from customs.scene.model import Scene
from customs.scene.notes import Kind, Note, Point

F64 = npt.NDArray[np.float64]
SKIN = 1e-6
"""How far under the surface a thickness begins, as a share of the extent: the face itself does not count."""


def standing_at(scene: Scene, whole: Whole, names: Set[str], node: Key) -> Whole | None:
    """The parts of a scene with the one that answers to `names` where `node` stands, as a mesh may stand in several
    places; None for what no node shows.
    """
    k = whole.number_of(names)
    if k is None or scene.nodes[whole.parts[k].node].key == node:
        return whole if k is not None else None
    at = next((i for i, n in enumerate(scene.nodes) if n.key == node), None)
    return whole_of(scene, at) if at is not None else None


def face_number(whole: Whole, names: Set[str], face: int) -> int | None:
    """Among all faces of the whole, the number of face `face` of the part that answers to `names`."""
    k = whole.number_of(names)
    return int(whole.firsts[k]) + face if k is not None and 0 <= face < len(whole.parts[k].faces) else None


def place_at(whole: Whole, face: int, orbit: Orbit, size: tuple[int, int], x: float, y: float) -> F64 | None:
    """(3,) the point of face `face` of the whole under pixel `x`, `y` of a picture of `size`; None where it is seen from
    its edge.
    """
    return on_plane(whole.points[whole.faces[face]], *ray_through(orbit, *size, x, y))


def nearest_corner(whole: Whole, point: Any, within: float) -> F64:
    """The corner nearest to a point where one lies within some metres, else the point itself."""
    p = np.asarray(point, np.float64)
    far = np.nan_to_num(np.linalg.norm(whole.points - p, axis=1), nan=np.inf)
    k = int(far.argmin()) if len(far) else -1
    return whole.points[k].copy() if k >= 0 and far[k] <= within else p


def measured(whole: Whole, kind: Kind, points: list[F64], face: int | None = None) -> Note | None:
    """The figure at some places (metres): `face` is the number of the last pointed at among all of the whole; None where
    there is nothing to measure.
    """
    if kind == "distance":
        return Note(kind, _kept(points), float(np.linalg.norm(points[1] - points[0])))
    if kind == "angle":
        a, b = points[0] - points[1], points[2] - points[1]
        size = np.linalg.norm(a) * np.linalg.norm(b)
        return (
            Note(kind, _kept(points), float(np.degrees(np.arccos(np.clip(a @ b / size, -1, 1)))))
            if size
            else None
        )
    if face is None:
        return None
    corners = whole.points[whole.faces[face]]
    if kind == "edge":
        a, b = _nearest_edge(corners, points[0])
        return Note(kind, _kept([a, b]), float(np.linalg.norm(b - a)))
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    length = float(np.linalg.norm(normal))
    if not length:
        return None
    way = -normal / length
    start = points[0] + way * SKIN * whole.size
    far = hits(whole.points, whole.faces, start, way)
    far[face] = np.inf
    depth = float(far.min())
    if not np.isfinite(depth):
        return None
    end = start + way * depth
    return Note(kind, _kept([points[0], end]), float(np.linalg.norm(end - points[0])))


def _nearest_edge(corners: F64, point: F64) -> tuple[F64, F64]:
    """The edge (two ends) of a triangle (3, 3) that is nearest to a point."""
    ends = [(corners[k], corners[(k + 1) % 3]) for k in range(3)]

    def off(pair: tuple[F64, F64]) -> float:
        a, b = pair
        t = float(np.clip((point - a) @ (b - a) / max(float((b - a) @ (b - a)), 1e-30), 0, 1))
        return float(np.linalg.norm(point - a - t * (b - a)))

    return min(ends, key=off)


def _kept(points: list[F64]) -> tuple[Point, ...]:
    return tuple((float(p[0]), float(p[1]), float(p[2])) for p in points)
