"""A part laid on a surface where faces of both match."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.closest import Surface
from customs.later import later

rotations = later("scipy.spatial.transform")
F64 = npt.NDArray[np.float64]
SAMPLES, ROUNDS, NEAREST = 1500, 60, 0.7
"""Points of the part that are looked at, rounds at most, and the share of them, the nearest, that count."""
SETTLED = 1e-6
"""Metres by which a round moves points when it is the last."""


def laid_on(
    points: Any, faces: npt.NDArray[Any], onto: Any, onto_faces: npt.NDArray[Any]
) -> tuple[F64, float]:
    """((4, 4) the turn and move that lay points (V, 3) of a part on the surface `onto` (W, 3) from where it is, metres the
    points that count are off on average then).

    Iterated closest points, each round the small turn and move that brings points nearest to the planes of their closest
    faces (Chen and Medioni 1991); only the nearest points count (Chetverikov and others 2002). Finds what is near: the part
    is to lie about right already.
    """
    used = np.unique(_sound(points, faces))
    own = np.asarray(points, np.float64)[used[:: max(1, len(used) // SAMPLES)]]
    surface, place = Surface(np.asarray(onto, np.float64), _sound(onto, onto_faces)), np.eye(4)
    count = max(int(len(own) * NEAREST), 3)
    off = np.inf
    for _ in range(ROUNDS):
        found = surface.closest(own)
        nearest = np.argsort(found.distance)[:count]
        off = float(found.distance[nearest].mean())
        step = _step(own[nearest], found.point[nearest], surface.normals[found.face[nearest]])
        moved = own @ step[:3, :3].T + step[:3, 3]
        far = float(np.abs(moved - own).max(initial=0.0))
        own, place = moved, step @ place
        if far < SETTLED:
            break
    return place, off


def _sound(points: Any, faces: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Faces without a corner that is no number."""
    return faces[np.isfinite(np.asarray(points)).all(axis=1)[faces].all(axis=1)]


def _step(points: F64, closest: F64, normals: F64) -> F64:
    """(4, 4) the rigid move that brings points (N, 3) nearest to planes through `closest` across `normals`, for small
    turns. A slide along the surface that changes nothing is not made.
    """
    middle = points.mean(axis=0)
    arms = np.concatenate([np.cross(points - middle, normals), normals], axis=1)
    far = np.einsum("ij,ij->i", closest - points, normals)
    found = np.linalg.lstsq(arms, far, rcond=1e-6)[0]
    out = np.eye(4)
    out[:3, :3] = rotations.Rotation.from_rotvec(found[:3]).as_matrix()
    out[:3, 3] = middle + found[3:] - out[:3, :3] @ middle
    return out
