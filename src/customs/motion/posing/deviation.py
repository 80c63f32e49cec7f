"""How far apart two scenes of the same vertices are while they move."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.motion.curves.track import frame_times, local_track, world_track
from customs.motion.posing.pose import morph_weights, posed_positions
from customs.scene.model import Clip, Scene
from customs.scene.tree import mesh_nodes

F64 = npt.NDArray[np.float64]
MOST_TIMES = 120
"""Most times of one clip that are compared: of a longer one that many, evenly spread."""


@dataclass(frozen=True)
class Deviation:
    """The worst vertex: how far (units), in which clip ("" at rest), when (seconds), on which node."""

    distance: float
    clip: str = ""
    seconds: float = 0.0
    node: str = ""


def posed(scene: Scene, clip: Clip | None, times: Any) -> list[list[F64]]:
    """For each time the world positions (V, 3) of every primitive of every mesh node, in walking order."""
    at = np.atleast_1d(np.asarray(times, dtype=np.float64))
    world = world_track(scene, local_track(scene, clip, at))
    shown = mesh_nodes(scene)
    out = []
    for k, seconds in enumerate(at):
        frame: list[F64] = []
        for n in shown:
            weights = morph_weights(scene, n, clip, float(seconds))
            mesh = scene.meshes[scene.nodes[n].mesh or 0]
            frame += [posed_positions(scene, n, p, list(world[k]), weights) for p in mesh.primitives]
        out.append(frame)
    return out


def deviation(
    before: Scene, after: Scene, rate: float = 30.0, check: Callable[[], None] = lambda: None
) -> Deviation | None:
    """The worst vertex between two scenes, at rest and over all clips both have (in order); None where their
    vertices differ.

    `check` is called between clips and may raise to stop.
    """
    shapes = [
        [p.positions.shape for n in mesh_nodes(s) for p in s.meshes[s.nodes[n].mesh or 0].primitives]
        for s in (before, after)
    ]
    if shapes[0] != shapes[1] or not shapes[0]:
        return None
    names = [
        after.nodes[n].name
        for n in mesh_nodes(after)
        for _ in after.meshes[after.nodes[n].mesh or 0].primitives
    ]
    worst = Deviation(0.0)
    for one, other in [(None, None), *zip(before.clips, after.clips)]:
        check()
        times = frame_times(other, rate) if other is not None else np.zeros(1)
        if len(times) > MOST_TIMES:
            times = times[np.linspace(0, len(times) - 1, MOST_TIMES).astype(int)]
        for at, a, b in zip(times, posed(before, one, times), posed(after, other, times)):
            far = [float(np.sqrt(((p - q) ** 2).sum(axis=1).max(initial=0.0))) for p, q in zip(a, b)]
            k = int(np.argmax(far))
            if far[k] > worst.distance:
                worst = Deviation(far[k], other.name if other is not None else "", float(at), names[k])
    return worst
