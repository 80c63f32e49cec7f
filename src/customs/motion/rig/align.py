"""Bringing a body into a donor's rest pose and onto its joints."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.later import later
from customs.motion.skeleton.skeleton import Skeleton

transform = later("scipy.spatial.transform")
F64 = npt.NDArray[np.float64]
STRETCH = (0.2, 5.0)
"""Least and most a bone is drawn out to reach the donor's joints (ratio)."""


@dataclass(frozen=True, eq=False)
class Fit:
    """Where every arriving joint goes: `turns` (J, 3, 3) in the world, `matrices` (J, 4, 4) from arriving to
    donor space, `scale` of the whole, `degrees` (J,) each joint was turned against the joint above it."""

    turns: F64
    matrices: F64
    scale: float
    degrees: F64


def between(a: F64, b: F64) -> F64:
    """(3, 3) the smallest turn that takes direction `a` (3,) to `b` (3,)."""
    a, b = a / np.linalg.norm(a), b / np.linalg.norm(b)
    axis = np.cross(a, b)
    sine, cosine = float(np.linalg.norm(axis)), float(a @ b)
    if sine < 1e-9:
        if cosine > 0:
            return np.eye(3)
        other = np.cross(a, [1.0, 0.0, 0.0] if abs(a[0]) < 0.9 else [0.0, 1.0, 0.0])
        return transform.Rotation.from_rotvec(np.pi * other / np.linalg.norm(other)).as_matrix()
    return transform.Rotation.from_rotvec(axis / sine * np.arctan2(sine, cosine)).as_matrix()


def mapped_children(arriving: Skeleton, donor: Skeleton, pairs: Mapping[int, int], joint: int) -> list[int]:
    """The next joints below `joint` that have a pair whose donor joint lies below that of `joint`."""
    out, stack = [], list(arriving.children[joint])
    while stack:
        k = stack.pop()
        if k in pairs and donor.above[pairs[k], pairs[joint]]:
            out.append(k)
        elif k not in pairs:
            stack += arriving.children[k]
    return sorted(out)


def turns_to(
    arriving: Skeleton, donor: Skeleton, pairs: Mapping[int, int], step: float = 0.0
) -> tuple[F64, F64]:
    """(turns (J, 3, 3) in the world, degrees (J,)) that bring the bones of `arriving` into the directions of
    `donor`.

    A joint with one paired bone below turns the smallest way; one with several takes the best turn for all of
    them (least squares). With `step` (degrees) every turn against the joint above is rounded to whole steps.
    """
    turns, degrees = np.broadcast_to(np.eye(3), (arriving.count, 3, 3)).copy(), np.zeros(arriving.count)
    for k in arriving.order:
        up = arriving.parent[k]
        base = turns[up] if up >= 0 else np.eye(3)
        turns[k] = base
        kids = mapped_children(arriving, donor, pairs, k) if k in pairs else []
        mine = np.array([arriving.places[c] - arriving.places[k] for c in kids]).reshape(-1, 3) @ base.T
        theirs = np.array([donor.places[pairs[c]] - donor.places[pairs[k]] for c in kids]).reshape(-1, 3)
        good = (np.linalg.norm(mine, axis=1) > 1e-9) & (np.linalg.norm(theirs, axis=1) > 1e-9)
        mine, theirs = mine[good], theirs[good]
        if not len(mine):
            continue
        extra = between(mine[0], theirs[0]) if len(mine) == 1 else _best_turn(mine, theirs)
        vector = transform.Rotation.from_matrix(extra).as_rotvec(degrees=True)
        angle = float(np.linalg.norm(vector))
        if step > 0 and angle > 0:
            rounded = round(angle / step) * step
            extra, angle = (
                transform.Rotation.from_rotvec(vector / angle * rounded, degrees=True).as_matrix(),
                rounded,
            )
        turns[k], degrees[k] = extra @ base, angle
    return turns, degrees


def _best_turn(a: F64, b: F64) -> F64:
    """Least squares turn of directions (Kabsch 1976), longer bones counting more; a turn of bones in one line
    is the smallest that does it."""
    u, v = a / np.linalg.norm(a, axis=1, keepdims=True), b / np.linalg.norm(b, axis=1, keepdims=True)
    if np.linalg.matrix_rank(u, tol=0.05) < 2 or np.linalg.matrix_rank(v, tol=0.05) < 2:
        return between(
            u.sum(axis=0) if np.linalg.norm(u.sum(axis=0)) > 1e-6 else u[0],
            v.sum(axis=0) if np.linalg.norm(v.sum(axis=0)) > 1e-6 else v[0],
        )
    left, _, right = np.linalg.svd((v * np.linalg.norm(a, axis=1, keepdims=True)).T @ u)
    flip = np.diag([1.0, 1.0, np.sign(np.linalg.det(left @ right))])
    return left @ flip @ right


def posed_places(arriving: Skeleton, turns: F64) -> F64:
    """(J, 3) where joints stand after the turns, bones as long as before, roots where they were."""
    out = arriving.places.copy()
    for k in arriving.order:
        up = arriving.parent[k]
        if up >= 0:
            out[k] = out[up] + turns[up] @ (arriving.places[k] - arriving.places[up])
    return out


def size_ratio(arriving: Skeleton, donor: Skeleton, pairs: Mapping[int, int]) -> float:
    """Length of the donor's paired bones over that of the arriving ones; 1 where there are none."""
    mine = theirs = 0.0
    for k in pairs:
        for c in mapped_children(arriving, donor, pairs, k):
            mine += float(np.linalg.norm(arriving.places[c] - arriving.places[k]))
            theirs += float(np.linalg.norm(donor.places[pairs[c]] - donor.places[pairs[k]]))
    return theirs / mine if mine > 1e-9 and theirs > 1e-9 else 1.0


def fit_to(arriving: Skeleton, donor: Skeleton, pairs: Mapping[int, int], step: float = 0.0) -> Fit:
    """Turn, size and draw out a body so that its paired joints stand where the donor's do.

    A paired joint carries its surroundings to the donor's joint: turned, scaled as a whole, and along a
    single bone below it drawn out or in so that the next joint meets the donor's too. Joints without a pair
    follow the joint above.
    """
    turns, degrees = turns_to(arriving, donor, pairs, step)
    scale = size_ratio(arriving, donor, pairs)
    matrices = np.broadcast_to(np.eye(4), (arriving.count, 4, 4)).copy()
    for k in arriving.order:
        up = arriving.parent[k]
        if k not in pairs:
            matrices[k] = (
                matrices[up]
                if up >= 0
                else _carry(scale * np.eye(3), arriving.places[k], scale * arriving.places[k])
            )
            continue
        linear = scale * turns[k]
        kids = mapped_children(arriving, donor, pairs, k)
        if len(kids) == 1:
            mine = linear @ (arriving.places[kids[0]] - arriving.places[k])
            theirs = donor.places[pairs[kids[0]]] - donor.places[pairs[k]]
            linear = _drawn(mine, theirs) @ linear
        matrices[k] = _carry(linear, arriving.places[k], donor.places[pairs[k]])
    return Fit(turns, matrices, scale, degrees)


def _drawn(mine: F64, theirs: F64) -> F64:
    """(3, 3) stretching along `mine` by the ratio of the two lengths."""
    length = float(np.linalg.norm(mine))
    if length < 1e-9:
        return np.eye(3)
    along = mine / length
    ratio = float(np.clip(np.linalg.norm(theirs) / length, *STRETCH))
    return np.eye(3) + (ratio - 1) * np.outer(along, along)


def _carry(linear: F64, start: F64, goal: F64) -> F64:
    out = np.eye(4)
    out[:3, :3], out[:3, 3] = linear, goal - linear @ start
    return out
