"""Openings by which two regions of a level are joined: where one ends, the way out of it, how wide and high it is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import StepError
from customs.geometry.choosing import hanging_together
from customs.geometry.triangles import corner_normals
from customs.geometry.weld import unique_rows

F64 = npt.NDArray[np.float64]
Eight = tuple[float, float, float, float, float, float, float, float]
"""An opening as settings keep it: sill (x, y, z), way out (x, y, z), width and height."""
FLAT = 1e-6
"""Share of the longest extent below which places lie in a line."""
PLANE = 1e-3
"""Share of the longest extent up to which places lie in one plane."""
STEEP = 0.3
"""Height part of a way out up to which an opening stands upright; from 1 less that it lies level."""
EXACT = 1e-3
"""Metres that two openings may differ in width and height, and still match."""
UP = np.array([0.0, 1.0, 0.0])


@dataclass(frozen=True, eq=False)
class Opening:
    """`sill` (3,) metres: the middle of its lower edge, where it is outermost; of one that lies level, its middle. `out` (3,) unit: the way out
    of its region. `width` and `height` in metres.
    """

    sill: F64
    out: F64
    width: float
    height: float

    @property
    def upright(self) -> bool:
        """True for a doorway, False for a hatch."""
        return bool(abs(self.out[1]) < 0.7)

    @property
    def frame(self) -> F64:
        """(3, 3) columns: to its right as one leaves by it, up it, out of it; right-handed."""
        up = UP if self.upright else _across(self.out)
        up = up - self.out * (up @ self.out)
        up /= np.linalg.norm(up)
        return np.stack([np.cross(up, self.out), up, self.out], axis=1)

    @property
    def numbers(self) -> Eight:
        """As settings keep it, to a millionth."""
        said = [round(float(v), 6) + 0.0 for v in (*self.sill, *self.out, self.width, self.height)]
        return said[0], said[1], said[2], said[3], said[4], said[5], said[6], said[7]

    @classmethod
    def of(cls, numbers: Any) -> Opening:
        """From settings. Raises StepError for a way out that is none."""
        n = np.asarray(numbers, np.float64)
        long = float(np.linalg.norm(n[3:6]))
        if not np.isfinite(n).all() or long < 1e-9:
            raise StepError("an opening without a way out of it", "eight finite numbers", "Choose it again.")
        return cls(n[:3], n[3:6] / long, float(n[6]), float(n[7]))

    def text(self) -> str:
        """Its size in words."""
        return f"{self.width:.3f} × {self.height:.3f} m"


def _across(out: F64) -> F64:
    """A way that lies level, for an opening that has no up of its own."""
    return np.array([0.0, 0.0, -1.0]) if abs(out[2]) < 0.9 else np.array([1.0, 0.0, 0.0])


def opening_of(points: Any, inside: Any, normals: Any = ()) -> Opening:
    """The opening that places (N, 3) on its rim or in its reveal are corners of; `inside` (3,) is a place in its region, `normals` (K, 3)
    those of the faces chosen. Raises StepError where the places lie in a line.

    Places in one plane lie in the opening's; else the way out runs along the faces of its reveal, and is level where that leaves
    a choice.
    """
    points = np.unique(np.round(np.asarray(points, np.float64).reshape(-1, 3), 7), axis=0)
    middle = points.mean(axis=0) if len(points) else np.zeros(3)
    sizes, ways = np.zeros(3), np.eye(3)
    if len(points) > 2:
        sizes, ways = np.linalg.svd(points - middle, full_matrices=False)[1:]
    if sizes[1] <= FLAT * max(float(sizes[0]), 1e-12):
        raise _no_opening("lie in a line, or are too few")
    n = np.asarray(normals, np.float64).reshape(-1, 3)
    if sizes[2] > PLANE * sizes[0] and len(n):
        ways = np.linalg.eigh(n.T @ n + 1e-3 * np.outer(UP, UP))[1].T[::-1]
    out = _settled(np.asarray(ways[2]))
    if (np.asarray(inside, np.float64) - middle) @ out > 0:
        out = -out
    found = _measured(points, middle, out)
    if min(found.width, found.height) <= 1e-6:
        raise _no_opening("span no opening")
    return found


def _no_opening(what: str) -> StepError:
    return StepError(
        f"the places chosen {what}", "corners of an opening, apart in width and in height",
        "Choose faces or edges on two sides of it.",
    )  # fmt: skip


def _settled(out: F64) -> F64:
    """A way out that is nearly level, or nearly upright, is."""
    if abs(out[1]) < STEEP:
        out = np.array([out[0], 0.0, out[2]])
    elif abs(out[1]) > 1 - STEEP / 2:
        out = np.array([0.0, np.sign(out[1]), 0.0])
    return np.asarray(out / np.linalg.norm(out))


def _measured(points: F64, middle: F64, out: F64) -> Opening:
    frame = Opening(middle, out, 0.0, 0.0).frame
    along = (points - middle) @ frame
    low, high = along.min(axis=0), along.max(axis=0)
    upright = Opening(middle, out, 0.0, 0.0).upright
    at = np.array([(low[0] + high[0]) / 2, low[1] if upright else (low[1] + high[1]) / 2, high[2]])
    return Opening(middle + frame @ at, out, float(high[0] - low[0]), float(high[1] - low[1]))


def turned(opening: Opening) -> Opening:
    """The same with its way out on the other side."""
    return Opening(opening.sill, -opening.out, opening.width, opening.height)


def joining(own: Opening, theirs: Opening) -> F64:
    """(4, 4) what brings `theirs` onto `own`: sill on sill, one's way out against the other's, no scaling. Raises StepError where one stands
    upright and the other lies level.
    """
    if own.upright != theirs.upright:
        raise StepError(
            "one opening stands upright, the other lies level",
            "two doorways, or two hatches",
            "Choose another.",
        )
    a, b = own.frame, theirs.frame
    # Who comes through the other's meets this one from outside: right becomes left, out becomes in.
    a = np.stack([-a[:, 0], a[:, 1], -a[:, 2]], axis=1)
    place = np.eye(4)
    place[:3, :3] = a @ b.T
    place[:3, 3] = own.sill - place[:3, :3] @ theirs.sill
    return place


def differ(own: Opening, theirs: Opening) -> tuple[float, float]:
    """Metres that they differ in width and in height."""
    return abs(own.width - theirs.width), abs(own.height - theirs.height)


@dataclass(frozen=True, eq=False)
class Face:
    """A face that was chosen: where it was pointed at (3,), its unit normal, the corners of the triangle met there, all corners (N, 3) of what
    lies in one plane with it.
    """

    at: F64
    normal: F64
    corners: F64
    patch: F64


def face_of(points: F64, faces: npt.NDArray[Any], face: int, at: Any = None) -> Face:
    """One of triangles (F, 3), pointed at in its middle or `at` a place (3,)."""
    corners = points[faces[face]]
    normal = corner_normals(corners[None])[0]
    middle = corners.mean(axis=0) if at is None else np.asarray(at, np.float64)
    return Face(middle, normal, corners, patch(points, faces, face))


def opening_between(faces: Sequence[Face], inside: Any, met: Callable[[F64, F64], float]) -> Opening:
    """The opening that chosen faces are of. Faces in one plane fill it. Else they are of its reveal: how wide and high it is is measured from
    the middle of where they were pointed at, `met` telling the way along a direction to the first face; it ends where the reveal
    does there. Raises StepError.
    """
    places = np.concatenate([f.patch for f in faces])
    normals = np.array([f.normal for f in faces])
    one = faces[0]
    flat = (np.abs((places - one.at) @ one.normal) < EXACT).all()
    if flat:
        return opening_of(places, inside)
    out = opening_of(np.concatenate([f.corners for f in faces]), inside, normals).out
    middle = np.mean([f.at for f in faces], axis=0)
    frame = Opening(middle, out, 0.0, 0.0).frame
    reach = np.array([[met(middle, frame[:, k] * s) for s in (-1.0, 1.0)] for k in (0, 1)])
    if not np.isfinite(reach).all():
        raise _no_opening("lie in something that is open to a side")
    ends = min(_reach(f, out) + float((f.at - middle) @ out) for f in faces if abs(f.normal @ out) < STEEP)
    upright = abs(out[1]) < 0.7
    across, up = (reach[0, 1] - reach[0, 0]) / 2, -reach[1, 0] if upright else (reach[1, 1] - reach[1, 0]) / 2
    sill = middle + frame @ np.array([across, up, ends])
    return Opening(sill, out, float(reach[0].sum()), float(reach[1].sum()))


def _reach(face: Face, out: F64) -> float:
    """Metres that what lies in one plane with a face reaches along `out` from where it was pointed at, in one piece."""
    along = out - face.normal * (out @ face.normal)
    along /= np.linalg.norm(along)
    side = np.cross(face.normal, along)
    corners = face.patch.reshape(-1, 3, 3) - face.at
    s, v = corners @ along, corners @ side
    t, w = np.roll(s, -1, axis=1), np.roll(v, -1, axis=1)
    with np.errstate(invalid="ignore", divide="ignore"):
        met = np.where((v * w <= 0) & (v != w), s + (t - s) * v / (v - w), np.nan)
    low, high = np.fmin.reduce(met, axis=1), np.fmax.reduce(met, axis=1)
    order = np.argsort(low)
    low, high = low[order], np.maximum.accumulate(np.nan_to_num(high[order], nan=-np.inf))
    # Pieces in one row end where the next begins only after a gap.
    gap = np.flatnonzero((low[1:] > high[:-1] + EXACT) & (high[:-1] >= -EXACT))
    ends = high[gap[0]] if len(gap) else high[np.isfinite(low)].max(initial=0.0)
    return float(ends)


def patch(points: F64, faces: npt.NDArray[Any], face: int) -> F64:
    """(N, 3) corners of all triangles (F, 3) that lie in one plane with a face and hang together with it by places they share."""
    corners = points[faces]
    normals = corner_normals(corners)
    away = np.abs((corners - corners[face, 0]) @ normals[face]).max(axis=1)
    level = np.flatnonzero((normals @ normals[face] > 1 - 1e-6) & (away < EXACT / 2))
    mine = np.union1d(level, [face])
    places = unique_rows([np.round(corners[mine].reshape(-1, 3), 5)])[1].astype(np.int64).reshape(-1, 3)
    chosen = hanging_together(places, mine == face)
    return np.asarray(corners[mine[chosen]].reshape(-1, 3))


def nearest_edge(corners: F64, place: Any) -> F64:
    """(2, 3) ends of the edge of a triangle (3, 3) that lies nearest to a place (3,)."""
    ends = np.stack([corners, np.roll(corners, -1, axis=0)], axis=1)
    way = ends[:, 1] - ends[:, 0]
    to = np.asarray(place, np.float64) - ends[:, 0]
    share = np.clip((to * way).sum(axis=1) / np.maximum((way * way).sum(axis=1), 1e-30), 0, 1)
    off = np.linalg.norm(to - share[:, None] * way, axis=1)
    return np.asarray(ends[int(off.argmin())])
