"""Root motion: the way a clip carries its skeleton along the ground, taken apart from what it does in
place.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from customs.motion.curves.track import channels_of, local_track, world_track
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Scene
from customs.scene.transforms import inverse
from customs.scene.tree import parents

F64 = npt.NDArray[np.float64]
GROUND = np.array([1.0, 0.0, 1.0])
"""The working frame's ground: X and Z, Y is up."""


@dataclass(frozen=True, eq=False)
class Travel:
    """Which node carries the way, the key times (T,) seconds, and the way (T, 3) in metres along the ground
    from the start.
    """

    node: int
    times: F64
    way: F64

    @property
    def speed(self) -> float:
        """Metres a second from the first place to the last."""
        length = float(self.times[-1] - self.times[0])
        return float(np.linalg.norm(self.way[-1])) / length if length > 0 else 0.0


def travel_of(scene: Scene, clip: Clip) -> Travel | None:
    """The way of the topmost node whose translation the clip moves; None where it moves none."""
    known, above = channels_of(clip), parents(scene)

    def depth(n: int) -> int:
        count = 0
        while above[n] >= 0:
            n, count = above[n], count + 1
        return count

    movers = [n for n, path in known if path == "translation" and len(known[n, path].times) > 1]
    if not movers:
        return None
    node = min(movers, key=lambda n: (depth(n), n))
    times = known[node, "translation"].times.astype(np.float64)
    world = world_track(scene, local_track(scene, clip, times))[:, node, :3, 3]
    return Travel(node, times, (world - world[0]) * GROUND)


def in_place(scene: Scene, clip: Clip, drift_only: bool) -> tuple[Clip, Travel | None]:
    """The clip without its way along the ground, and the way taken out.

    With `drift_only` only the even drift from first to last place goes, so that sway stays.
    """
    travel = travel_of(scene, clip)
    if travel is None:
        return clip, None
    way = travel.way
    if drift_only:
        share = (travel.times - travel.times[0]) / max(float(travel.times[-1] - travel.times[0]), 1e-9)
        way = share[:, None] * way[-1]
    return _moved(scene, clip, travel, -way), replace(travel, way=way)


def to_node(scene: Scene, clip: Clip, travel: Travel, node: int) -> Clip:
    """The clip with `travel` put on `node`, which must stand above the one it was taken from."""
    channel = channels_of(clip).get((node, "translation"))
    rest = scene.nodes[node].translation
    base = (
        np.broadcast_to(rest, travel.way.shape)
        if channel is None
        else local_track(scene, clip, travel.times)[:, node, :3, 3]
    )
    turn = _parent_turn(scene, clip, node, travel.times)
    values = base + np.einsum("tij,tj->ti", turn, travel.way)
    new = Channel(node, "translation", frozen(travel.times), frozen(values))
    rest_of = tuple(c for c in clip.channels if not (c.node == node and c.path == "translation"))
    return replace(clip, channels=(*rest_of, new))


def _moved(scene: Scene, clip: Clip, travel: Travel, shift: F64) -> Clip:
    """The clip with a world shift (T, 3) worked into the keys of the node that travels."""
    turn = _parent_turn(scene, clip, travel.node, travel.times)
    local = np.einsum("tij,tj->ti", turn, shift)

    def change(channel: Channel) -> Channel:
        if channel.node != travel.node or channel.path != "translation":
            return channel
        values = np.array(channel.values, dtype=np.float64)
        if channel.interpolation == "cubic":
            gap = np.maximum(np.gradient(travel.times), 1e-9) if len(travel.times) > 1 else np.ones(1)
            tangent = np.gradient(local, axis=0) / gap[:, None] if len(local) > 1 else np.zeros_like(local)
            values[:, 1] += local
            values[:, [0, 2]] += tangent[:, None]
        else:
            values += local
        return replace(channel, values=frozen(values))

    return replace(clip, channels=tuple(change(c) for c in clip.channels))


def _parent_turn(scene: Scene, clip: Clip, node: int, times: F64) -> F64:
    """(T, 3, 3) taking world directions into the space of a node's parent."""
    up = parents(scene)[node]
    if up < 0:
        return np.broadcast_to(np.eye(3), (len(times), 3, 3))
    turn = world_track(scene, local_track(scene, clip, times))[:, up, :3, :3]
    return np.asarray(inverse(turn), dtype=np.float64)
