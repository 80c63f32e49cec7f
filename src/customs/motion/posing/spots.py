"""Where a scene's skeleton is over time: points that tell movement, and the measures taken from them."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.motion.curves.track import local_track, moving_nodes, world_track
from customs.motion.posing.bounds import world_bounds
from customs.scene.model import Clip, Scene

F64 = npt.NDArray[np.float64]
ARM = 0.08
"""Length of the arms at each joint that make turning visible, as a share of the asset's diagonal (ratio)."""


def reach(scene: Scene) -> float:
    """Diagonal of the box at rest (units), or that of the nodes' places where there is no mesh; at least
    1e-9.
    """
    box = world_bounds(scene)
    if box is None:
        world = world_track(scene, local_track(scene, None, 0.0))[0] if scene.nodes else np.zeros((1, 4, 4))
        return max(float(np.linalg.norm(np.ptp(world[:, :3, 3], axis=0))), 1e-9)
    return max(float(np.linalg.norm(box[1] - box[0])), 1e-9)


def spots(scene: Scene, clip: Clip, seconds: Any) -> F64:
    """(T, S, 3) world places of every joint the clip can move and of the ends of three arms at each, at times
    (T,).

    The arms are ARM of the asset's size long, so a turn of a joint shows as a way travelled.
    """
    world = world_track(scene, local_track(scene, clip, seconds))
    nodes = sorted({j for s in scene.skins for j in s.joints} | set(moving_nodes(clip)))
    if not nodes:
        return np.zeros((len(world), 0, 3))
    m = world[:, nodes]
    arms = (
        m[..., :3, :3]
        / np.maximum(np.linalg.norm(m[..., :3, :3], axis=-2, keepdims=True), 1e-12)
        * (ARM * reach(scene))
    )
    place = m[..., None, :3, 3]
    every = np.concatenate([place, place + np.swapaxes(arms, -1, -2)], axis=-2)
    return every.reshape(len(world), -1, 3)


def speed(points: F64, rate: float) -> F64:
    """(T,) greatest way a second of any spot (T, S, 3) from each frame to the next; the last as the one
    before.
    """
    if len(points) < 2 or not points.shape[1]:
        return np.zeros(len(points))
    step = np.linalg.norm(np.diff(points, axis=0), axis=2).max(axis=1) * rate
    return np.append(step, step[-1])
