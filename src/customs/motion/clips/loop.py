"""The seam of a loop: how far the last pose is from the first, and closing it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.motion.curves.cut import SAME_TIME, straight
from customs.motion.curves.keys import sample, slerp
from customs.motion.curves.reduce import errors
from customs.motion.posing.spots import spots
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Scene
from customs.scene.transforms import continuous, multiply_quaternions

F64 = npt.NDArray[np.float64]
SHUT = 1e-6
"""A channel whose ends differ by no more is closed: it is what storing them as float32 leaves (metres,
radians, ratio).
"""


def seam(scene: Scene, clip: Clip, travel: bool = True) -> float:
    """Farthest any joint or arm of it is from its first place at the clip's end (units).

    Without `travel` the way the whole went along the ground (X and Z) does not count.
    """
    points = spots(scene, clip, [0.0, clip.seconds])
    if not points.shape[1]:
        return 0.0
    off = points[1] - points[0]
    if not travel:
        off = off - np.median(off, axis=0) * np.array([1.0, 0.0, 1.0])
    return float(np.linalg.norm(off, axis=1).max())


def closed(clip: Clip, seconds: float, rate: float, free: frozenset[tuple[int, str]] = frozenset()) -> Clip:
    """The clip with its last `seconds` led to the first pose, so that its end is its beginning.

    The difference between first and last value is worked in smoothly: 3t² − 2t³ over the stretch. Properties
    in `free` ((node, path)) are left as they are: a root that travels.
    """
    end = clip.seconds
    length = min(seconds, end)

    def change(channel: Channel) -> Channel:
        if (
            (channel.node, channel.path) in free
            or not len(channel.times)
            or channel.interpolation == "step"
            or end <= 0
        ):
            return channel
        return _led(straight(channel, rate), end, length, rate)

    return replace(clip, channels=tuple(change(c) for c in clip.channels))


def _led(channel: Channel, end: float, length: float, rate: float) -> Channel:
    first, last = sample(channel, 0.0), sample(channel, end)
    if errors(channel.path, first[None], last[None])[0] < SHUT:
        return channel
    times = channel.times.astype(np.float64)
    frames = end - length + np.arange(int(length * rate) + 1) / rate
    every = np.unique(np.concatenate([[0.0], times, frames, [end]]))
    every = every[(every <= end) & np.append(np.diff(every) > SAME_TIME, True)]
    t = np.clip((every - (end - length)) / max(length, 1e-9), 0, 1)
    share = t * t * (3 - 2 * t)
    values = sample(channel, every)
    if channel.path == "rotation":
        turn = multiply_quaternions(first, last * np.array([-1, -1, -1, 1]))
        part = slerp(
            np.broadcast_to([0.0, 0, 0, 1], values.shape), np.broadcast_to(turn, values.shape), share
        )
        values = continuous(multiply_quaternions(part, values))
    else:
        values = values + share[:, None] * (first - last)
    return replace(channel, times=frozen(every), values=frozen(values), interpolation="linear")
