"""Finding clips in one long take: by its rests, and by poses that come again."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.motion.curves.track import frame_times
from customs.motion.posing.spots import reach, speed, spots
from customs.scene.model import Clip, Scene

F64 = npt.NDArray[np.float64]
REST = 0.02
"""Slower than this share of the asset's size a second counts as resting (1/s)."""
REST_SECONDS = 0.15
"""Shortest rest that parts two clips (seconds)."""
CLIP_SECONDS = 0.25
"""Shortest stretch that is a clip (seconds)."""
AHEAD = 0.1
"""How far ahead a movement is followed to tell a pose passed one way from the same pose passed the other way
(seconds).
"""
AGAIN = 0.12
"""A pose has come again when it is this near, as a share of the farthest the take goes from it (ratio)."""


@dataclass(frozen=True)
class Found:
    """A stretch (seconds) and what parted it: "rest" or "pose"; `loops` when it ends as it begins."""

    start: float
    end: float
    by: str
    loops: bool


@dataclass(frozen=True, eq=False)
class Take:
    """A take looked at frame by frame: `times` (T,), `pace` (T,) in sizes a second, its rests as (start,
    end).
    """

    times: F64
    pace: F64
    rests: tuple[tuple[float, float], ...]
    found: tuple[Found, ...]


def runs(mask: npt.NDArray[np.bool_]) -> npt.NDArray[np.intp]:
    """(R, 2) first and behind-last index of each run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(np.int8), [0]])))
    return edges.reshape(-1, 2)


def look_at(scene: Scene, clip: Clip, rate: float) -> Take:
    """Rests and stretches of a take, at `rate` frames a second."""
    times = frame_times(clip, rate)
    points = spots(scene, clip, times)
    pace = speed(points, rate) / reach(scene)
    least = max(round(REST_SECONDS * rate), 1)
    still = [(a, b) for a, b in runs(pace < REST) if b - a >= least]
    last = len(times) - 1
    rests = tuple((float(times[a]), float(times[min(b, last)])) for a, b in still)
    moving = np.ones(len(times), dtype=bool)
    for a, b in still:
        moving[a:b] = False
    stretches = [(a, min(b, last)) for a, b in runs(moving) if b - a >= CLIP_SECONDS * rate]
    found: list[Found] = []
    # Between rests a stretch is one movement, however often it goes round; without any rest its turns are
    # parted.
    for a, b in stretches:
        whole = points[a : b + 1], times[a : b + 1], rate
        found += [_whole(*whole[:2], "rest")] if still else _cycles(*whole)
    return Take(times, pace, rests, tuple(found))


def _whole(points: F64, times: F64, by: str) -> Found:
    away = np.linalg.norm(points - points[0], axis=2).max(axis=1)
    return Found(float(times[0]), float(times[-1]), by, bool(away[-1] <= AGAIN * float(away.max())))


def _cycles(points: F64, times: F64, rate: float) -> list[Found]:
    """A stretch as it is, or one turn of it where its first pose comes again and again, moving as it did at
    first.
    """
    slope = np.gradient(points, axis=0) * rate * AHEAD
    away = np.maximum(
        np.linalg.norm(points - points[0], axis=2).max(axis=1),
        np.linalg.norm(slope - slope[0], axis=2).max(axis=1),
    )
    farthest = float(away.max())
    least = int(CLIP_SECONDS * rate)
    comes = []
    for a, b in runs(away <= AGAIN * farthest):
        k = a + int(away[a:b].argmin())
        if k >= least and away[max(0, k - least) : k].max(initial=0) > 4 * AGAIN * farthest:
            comes.append(k)
    if len(comes) < 2:
        return [_whole(points, times, "end")]
    cuts = [0, *comes]
    return [Found(float(times[a]), float(times[b]), "pose", True) for a, b in itertools.pairwise(cuts)]
