"""Shells that are turned inside out, by what they enclose and by what is seen of them."""

from __future__ import annotations

from collections.abc import Callable
from types import ModuleType
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from customs.geometry.faces import lengths, loops
from customs.geometry.shells import border, shells
from customs.geometry.triangles import face_vectors
from customs.geometry.weld import groups_near, groups_of_rows
from customs.scene.arrays import bounds
from customs.tolerances import SAME_PLACE

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]
I32 = npt.NDArray[np.int32]
Mask = npt.NDArray[np.bool_]
Look = Callable[[F32, U32], tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]]
MOSTLY = 0.7
"""Share of what is seen of a shell that must be back before it is called turned."""
SEEN = 0.02
"""Least share of a shell's area that must be seen before it counts as seen at all."""
LEAST_FACES = 3
"""Fewer faces have no inside and no majority."""


def inward(positions: F32, faces: U32, look: Look | None = None) -> Mask:
    """(F,) True for faces that look inward.

    Within a shell, faces sharing an edge must run it in opposite directions; the minority that cannot is out
    of line. A shell that encloses a volume is outward when its signed volume is positive; an open shell is
    judged by which side of its faces its own centre lies on, and only when nearly all of its area agrees (a
    flat or wavy sheet has no inside). Where that leaves a doubt, `look` says how much of each face is seen
    from outside from its front and from its back.
    """
    if len(faces) < LEAST_FACES:
        return np.zeros(len(faces), dtype=bool)
    groups = groups_of_rows(positions)
    place = groups[faces]
    found = shells(place)
    if found.opened.any():
        found = shells(_seams_closed(positions, groups, border(found, place))[faces])
    over = found.flipped
    turned = np.where(over[:, None], faces[:, ::-1], faces) if over.any() else faces
    return _judge_parts(positions, turned, found.part, found.opened > 0, look) ^ found.flipped


def _seams_closed(positions: F32, groups: U32, ends: npt.NDArray[np.intp]) -> U32:
    """`groups` of vertices by place, those at open edges put together with one another where they are near:
    seams that rounding has pulled apart by a hair are no openings.
    """
    stands = np.empty(int(groups.max()) + 1, np.intp)
    stands[groups] = np.arange(len(groups))
    low, high = bounds(positions)
    near = groups_near(positions[stands[ends]], SAME_PLACE * float(np.linalg.norm(high - low)))
    first = np.full(int(near.max()) + 1, len(stands), np.intp)
    np.minimum.at(first, near, ends)
    number = np.arange(len(stands), dtype=np.uint32)
    number[ends] = first[near]
    return number[groups]


def _judge_parts(positions: F32, faces: U32, part: I32, open_face: Mask, look: Look | None) -> Mask:
    """(F,) True for faces of parts whose outside is inside."""
    count, compiled = int(part.max()) + 1, loops(positions, faces)
    weight, volume, spread, away = (
        enclosed_compiled(compiled, positions, faces, part, count)
        if compiled
        else enclosed_by_columns(positions, faces, part, count)
    )
    safe = np.where(weight > 0, weight, 1)
    is_open = np.bincount(part, weights=open_face, minlength=count) > 0
    solid = spread > 1e-3 * safe * np.sqrt(safe)
    leaning = volume < -0.8 * spread
    bad = np.where(is_open, solid & leaning & (away / safe > 0.9), volume < -1e-9 * safe * np.sqrt(safe))
    doubt = np.where(is_open, solid & ~bad & (away / safe > 0.4), bad)
    if look is not None and doubt.any():
        bad = _looked_at(positions, faces, part, bad, doubt, is_open, look)
    return bad[part]


class Enclosed(NamedTuple):
    """Of each part (P,): double area, six times the volume its faces span with its centre, the same without
    signs, and the double area of faces that turn their back to it.
    """

    weight: F64
    volume: F64
    spread: F64
    away: F64


def enclosed_compiled(compiled: ModuleType, positions: F32, faces: U32, part: I32, count: int) -> Enclosed:
    """What parts enclose, by a kernel."""
    points, corners = np.ascontiguousarray(positions), np.ascontiguousarray(faces)
    sums, out = np.zeros((count, 4)), np.zeros((count, 3))
    compiled.weighed(points, corners, part, sums)
    centre = sums[:, 1:] / np.where(sums[:, 0] > 0, sums[:, 0], 1)[:, None]
    compiled.enclosed(points, corners, part, centre, out)
    return Enclosed(sums[:, 0], out[:, 0], out[:, 1], out[:, 2])


def enclosed_by_columns(positions: F32, faces: U32, part: I32, count: int) -> Enclosed:
    """`enclosed_compiled` in numpy."""
    p = positions.astype(np.float64)
    vectors = face_vectors(p, faces).astype(np.float64, copy=False)
    middle = (p[faces[:, 0]] + p[faces[:, 1]] + p[faces[:, 2]]) / 3.0
    areas = lengths(vectors)

    def summed(values: F64) -> F64:
        return np.bincount(part, weights=values, minlength=count).astype(np.float64)

    weight = summed(areas)
    centre = np.stack([summed(areas * middle[:, c]) for c in range(3)], 1)
    centre = centre / np.where(weight > 0, weight, 1)[:, None]
    out = vectors * (middle - centre[part])
    reach = out[:, 0] + out[:, 1] + out[:, 2]
    away = summed(np.where(reach < 0, areas, 0.0))
    return Enclosed(weight, summed(reach), summed(np.abs(reach)), away)


def _looked_at(
    positions: F32, faces: U32, part: I32, bad: Mask, doubt: Mask, is_open: Mask, look: Look
) -> Mask:
    """Which parts are turned, those in `doubt` by what an eye outside sees of them.

    An open shell is turned when mostly backs are seen; a closed one stays as it is when nothing of it is
    seen: it is the hollow inside of another.
    """
    front, back = (np.bincount(part, weights=w, minlength=len(bad)) for w in look(positions, faces))
    area = np.bincount(
        part,
        weights=np.linalg.norm(face_vectors(positions.astype(np.float64), faces), axis=1) / 2,
        minlength=len(bad),
    )
    seen = front + back
    visible = seen > SEEN * area
    mostly = visible & (back > MOSTLY * np.maximum(seen, 1e-300))
    return np.where(doubt, np.where(is_open, mostly, bad & (mostly | ~visible & (len(bad) == 1))), bad)
