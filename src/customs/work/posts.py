"""Where a post goes that is placed by pointing: on the surface, on a vertex, in the middle of a part's box, on a joint."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from customs.changes.standing_parts import Whole
from customs.scene.model import Scene
from customs.scene.tree import joint_nodes, world_matrices

F64 = npt.NDArray[np.float64]
On = Literal["surface", "vertex", "centre", "joint"]


@dataclass(frozen=True)
class Spot:
    """A place (3,) metres, a direction (3,), and the name of the joint the post hangs on, "" for none."""

    at: F64
    points: F64
    joint: str = ""


def spot_for(on: On, scene: Scene, whole: Whole, names: Set[str], face: int, place: F64) -> Spot | None:
    """The spot for what was pointed at: `place` on face `face` of the whole, of the part that answers to `names`. None where there
    is no joint, or the part has no finite box.
    """
    corners = whole.points[whole.faces[face]]
    way = _normal(corners)
    if on == "vertex":
        return Spot(corners[int(np.linalg.norm(corners - place, axis=1).argmin())].copy(), way)
    if on == "centre":
        return _centre(whole, names, way)
    if on == "joint":
        return _joint(scene, place, way)
    return Spot(place, way)


def _normal(corners: F64) -> F64:
    a, b, c = corners
    way = np.cross(b - a, c - a)
    length = float(np.linalg.norm(way))
    return way / length if length > 0 else np.array([0.0, 1.0, 0.0])


def _centre(whole: Whole, names: Set[str], way: F64) -> Spot | None:
    k = whole.number_of(names)
    mine = whole.vertices(k, whole.points) if k is not None else np.zeros((0, 3))
    mine = mine[np.isfinite(mine).all(axis=1)]
    return Spot((mine.min(axis=0) + mine.max(axis=0)) / 2, way) if len(mine) else None


def _joint(scene: Scene, place: F64, way: F64) -> Spot | None:
    """The joint nearest to the place, as everything rests; joints without a name of their own cannot be told."""
    named = [
        n for n in sorted(joint_nodes(scene)) if sum(x.name == scene.nodes[n].name for x in scene.nodes) == 1
    ]
    if not named:
        return None
    at = world_matrices(scene)[named][:, :3, 3]
    n = int(np.linalg.norm(at - place, axis=1).argmin())
    return Spot(at[n].copy(), way, scene.nodes[named[n]].name)
