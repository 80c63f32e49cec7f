"""How far apart two scenes of the same vertices are while they move."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.motion.curves.track import frame_times, local_track, world_track
from customs.motion.posing.frames import posed_frames
from customs.scene.model import Clip, Primitive, Scene
from customs.scene.tree import mesh_nodes

F64 = npt.NDArray[np.float64]
MOST_TIMES = 120
"""Most times of one clip that are compared: of a longer one that many, evenly spread."""
AT_ONCE = 1_000_000
"""Places that are held at once."""


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
    parts = [posed_frames(scene, n, p, clip, at, world) for n, p in _shown(scene)]
    return [[part[k] for part in parts] for k in range(len(at))]


def _shown(scene: Scene) -> list[tuple[int, Primitive]]:
    """(node, primitive) of all that is shown, in walking order."""
    return [(n, p) for n in mesh_nodes(scene) for p in scene.meshes[scene.nodes[n].mesh or 0].primitives]


def deviation(
    before: Scene, after: Scene, rate: float = 30.0, check: Callable[[], None] = lambda: None
) -> Deviation | None:
    """The worst vertex between two scenes, at rest and over all clips both have (in order); None where their
    vertices differ.

    `check` is called now and then and may raise to stop.
    """
    shown = _shown(before), _shown(after)
    if [p.positions.shape for _, p in shown[0]] != [p.positions.shape for _, p in shown[1]] or not shown[0]:
        return None
    worst = Deviation(0.0)
    for one, other in [(None, None), *zip(before.clips, after.clips)]:
        check()
        times = frame_times(other, rate) if other is not None else np.zeros(1)
        if len(times) > MOST_TIMES:
            times = times[np.linspace(0, len(times) - 1, MOST_TIMES).astype(int)]
        alike = one is other and before.nodes is after.nodes and before.skins is after.skins
        pairs = [(a, b) for a, b in zip(*shown) if not (alike and a[0] == b[0] and a[1] is b[1])]
        if not pairs:
            continue
        far = _far(before, after, one, other, times, pairs, check)
        t, k = divmod(int(np.argmax(np.where(np.isnan(far), 0.0, far))), len(pairs))
        if far[t, k] > worst.distance:
            name = after.nodes[pairs[k][1][0]].name
            worst = Deviation(
                float(far[t, k]), other.name if other is not None else "", float(times[t]), name
            )
    return worst


def _far(
    before: Scene,
    after: Scene,
    one: Clip | None,
    other: Clip | None,
    times: F64,
    pairs: Sequence[tuple[tuple[int, Primitive], tuple[int, Primitive]]],
    check: Callable[[], None],
) -> F64:
    """(T, pairs): how far the worst vertex of each pair of primitives is apart at each time."""
    out = np.zeros((len(times), len(pairs)))
    worlds = [world_track(s, local_track(s, clip, times)) for s, clip in ((before, one), (after, other))]
    for k, ((m, p), (n, q)) in enumerate(pairs):
        step = max(AT_ONCE // max(len(p.positions), 1), 1)
        for t in range(0, len(times), step):
            check()
            run = slice(t, t + step)
            a = posed_frames(before, m, p, one, times[run], worlds[0][run])
            b = posed_frames(after, n, q, other, times[run], worlds[1][run])
            out[run, k] = np.sqrt(((a - b) ** 2).sum(axis=2).max(axis=1, initial=0.0))
    return out
