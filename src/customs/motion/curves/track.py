"""A clip over time: every node's transform at many times at once."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.motion.curves.keys import sample
from customs.scene.model import Channel, Clip, Scene
from customs.scene.transforms import compose
from customs.scene.tree import local_matrix, walk

F64 = npt.NDArray[np.float64]
RATES = (24.0, 25.0, 30.0, 50.0, 60.0, 100.0, 120.0)
"""Frame rates in common use (frames a second)."""


def channels_of(clip: Clip | None) -> dict[tuple[int, str], Channel]:
    """The channels that count, by node and path: those with keys, the first where a clip has two for one
    property.
    """
    out: dict[tuple[int, str], Channel] = {}
    for c in clip.channels if clip else ():
        if len(c.times):
            out.setdefault((c.node, c.path), c)
    return out


def local_track(scene: Scene, clip: Clip | None, seconds: Any) -> F64:
    """Own matrices (T, N, 4, 4) of all N nodes at times `seconds` (T,)."""
    at = np.atleast_1d(np.asarray(seconds, dtype=np.float64))
    out = np.broadcast_to(
        np.stack([local_matrix(n) for n in scene.nodes]), (len(at), len(scene.nodes), 4, 4)
    ).copy()
    known = channels_of(clip)
    for node in {n for n, path in known if path != "weights"}:
        rest = scene.nodes[node]
        parts = [
            sample(known[node, path], at)
            if (node, path) in known
            else np.broadcast_to(getattr(rest, path), (len(at), width))
            for path, width in (("translation", 3), ("rotation", 4), ("scale", 3))
        ]
        out[:, node] = compose(*parts)
    return out


def world_track(scene: Scene, locals_: F64) -> F64:
    """World matrices (T, N, 4, 4) from own ones; nodes outside the tree stay at the identity."""
    out = np.broadcast_to(np.eye(4), locals_.shape).copy()
    for node, parent, _ in walk(scene):
        out[:, node] = locals_[:, node] if parent < 0 else out[:, parent] @ locals_[:, node]
    return out


def skin_track(scene: Scene, skin: int, world: F64) -> F64:
    """World · inverse bind (T, J, 4, 4) of a skin's joints."""
    s = scene.skins[skin]
    return world[:, list(s.joints)] @ s.inverse_bind


def frame_rate(clip: Clip) -> float:
    """Frames a second its keys lie at: the least common rate on which nearly all keys fall, else keys over
    length.
    """
    times = np.unique(np.concatenate([c.times for c in clip.channels])) if clip.channels else np.zeros(0)
    if len(times) < 2:
        return 30.0
    at = times.astype(np.float64) - float(times[0])
    for rate in RATES:
        off = np.abs(at * rate - np.round(at * rate))
        if float((off < 0.02).mean()) > 0.98:
            return rate
    gap = float(np.median(np.diff(at)))
    return float(min(1000.0, 1.0 / gap)) if gap > 0 else 30.0


def frame_times(clip: Clip, rate: float, most: int = 20_000) -> F64:
    """Times (T,) of all frames of a clip from 0 to its end, at `rate`; never more than `most`."""
    count = min(max(int(np.ceil(clip.seconds * rate - 1e-4)), 0) + 1, most)
    return np.minimum(np.arange(count) / rate, clip.seconds) if clip.seconds > 0 else np.zeros(1)


def with_frames(times: F64, rate: float) -> F64:
    """Key times (T,) in seconds with all frames at `rate` between them, none nearer to a key than a tenth of
    a millisecond.
    """
    count = int(min((times[-1] - times[0]) * rate, 200_000)) + 1
    frames = times[0] + np.arange(count) / rate
    at = np.clip(np.searchsorted(times, frames), 1, len(times) - 1)
    apart = np.minimum(np.abs(frames - times[at - 1]), np.abs(frames - times[at])) > 1e-4
    return np.sort(np.concatenate([times, frames[apart]]))


def spread_times(clip: Clip, count: int) -> F64:
    """`count` times (T,) evenly from 0 to the clip's end."""
    return np.linspace(0.0, clip.seconds, count)


def moving_nodes(clip: Clip) -> Sequence[int]:
    """Nodes a clip moves, in order."""
    return sorted({c.node for c in clip.channels if c.path != "weights"})
