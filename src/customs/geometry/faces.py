"""Faces that are broken, doubled or turned inward."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from customs.geometry.shells import shells
from customs.geometry.triangles import face_vectors
from customs.geometry.weld import groups_near, groups_of_rows, unique_rows
from customs.scene.arrays import bounds
from customs.tolerances import FLAT_FACE, SAME_PLACE

F32 = npt.NDArray[np.float32]
U32 = npt.NDArray[np.uint32]
Mask = npt.NDArray[np.bool_]


def degenerate(positions: F32, faces: U32) -> Mask:
    """(F,) True for faces with two corners at one place or no area (share of the longest edge squared)."""
    p = positions.astype(np.float64)
    a, b, c = p[faces[:, 0]], p[faces[:, 1]], p[faces[:, 2]]
    double = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    edges = [np.einsum("ij,ij->i", d, d) for d in (b - a, c - b, a - c)]
    longest = np.maximum(np.maximum(edges[0], edges[1]), edges[2])
    with np.errstate(invalid="ignore"):
        return (double <= FLAT_FACE * longest) | ~np.isfinite(double)


def doubled(positions: F32, faces: U32) -> Mask:
    """(F,) True for every repeat of a face: the same three places in the same winding. The first of its kind
    stays False.

    A face in the opposite winding is a back, and no repeat.
    """
    place = groups_of_rows(positions)[faces]
    start = np.argmin(place, axis=1)[:, None]
    turned = np.take_along_axis(place, (start + np.arange(3)) % 3, axis=1)
    ordered = np.sort(place, axis=1)
    # A face with two corners at one place has no winding.
    turned = np.where((ordered[:, 1:] == ordered[:, :-1]).any(axis=1)[:, None], ordered, turned)
    first = unique_rows([turned])[0]
    out = np.ones(len(faces), dtype=bool)
    out[first] = False
    return out


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
    found = shells(groups_of_rows(positions)[faces])
    if found.opened.any():
        # Seams that rounding has pulled apart by a hair are no openings.
        low, high = bounds(positions)
        found = shells(groups_near(positions, SAME_PLACE * float(np.linalg.norm(high - low)))[faces])
    turned = np.where(found.flipped[:, None], faces[:, ::-1], faces)
    return _judge_parts(positions, turned, found.part, found.opened, look) ^ found.flipped


def _judge_parts(
    positions: F32, faces: U32, part: npt.NDArray[np.int32], open_face: Mask, look: Look | None
) -> Mask:
    """(F,) True for faces of parts whose outside is inside."""
    p = positions.astype(np.float64)
    corners = p[faces]
    middle = corners.mean(axis=1)
    vectors = face_vectors(p, faces)
    areas = np.linalg.norm(vectors, axis=1)
    count = int(part.max()) + 1
    weight = np.bincount(part, weights=areas, minlength=count)
    safe = np.where(weight > 0, weight, 1)
    centre: npt.NDArray[np.float64] = np.stack(
        [np.bincount(part, weights=areas * middle[:, c], minlength=count) for c in range(3)], 1
    )
    centre = centre / safe[:, None]
    reach = np.einsum("ij,ij->i", vectors, middle - centre[part])
    volume = np.bincount(part, weights=reach, minlength=count)
    is_open = np.bincount(part, weights=open_face, minlength=count) > 0
    inward_area = np.bincount(part, weights=np.where(reach < 0, areas, 0.0), minlength=count) / safe
    spread = np.bincount(part, weights=np.abs(reach), minlength=count)
    solid = spread > 1e-3 * safe * np.sqrt(safe)
    leaning = volume < -0.8 * spread
    bad = np.where(is_open, solid & leaning & (inward_area > 0.9), volume < -1e-9 * safe * np.sqrt(safe))
    doubt = np.where(is_open, solid & ~bad & (inward_area > 0.4), bad)
    if look is not None and doubt.any():
        bad = _looked_at(positions, faces, part, bad, doubt, is_open, look)
    return bad[part]


def _looked_at(
    positions: F32, faces: U32, part: npt.NDArray[np.int32], bad: Mask, doubt: Mask, is_open: Mask, look: Look
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


def is_closed(positions: F32, faces: U32) -> bool:
    """True when every edge between places is shared by exactly two faces."""
    if not len(faces):
        return False
    found = shells(groups_of_rows(positions)[faces])
    return not found.opened.any() and found.pairs * 2 == len(faces) * 3
