"""Fewer keys: channels that say nothing dropped, keys dropped that a straight line or a turn between others
stands for.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from customs.motion.curves.cut import straight
from customs.motion.curves.keys import sample
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Node

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]


RATES = (60.0, 120.0, 240.0, 480.0, 960.0)
"""Keys a second tried for splines, the fewest first."""


@dataclass(frozen=True)
class Tolerance:
    """Most a value may be off: metres for translations, degrees for rotations, a ratio for scales and morph
    weights.
    """

    metres: float = 0.0002
    degrees: float = 0.05
    ratio: float = 0.001

    def of(self, path: str) -> float:
        """The tolerance of a path in the unit errors are measured in."""
        return {"translation": self.metres, "rotation": float(np.radians(self.degrees))}.get(path, self.ratio)


def without_idle(clip: Clip, nodes: Sequence[Node], tolerance: Tolerance) -> Clip:
    """The clip without channels that stay at the rest pose, and with one key for those that stay elsewhere.

    Its length stays: one channel keeps a last key where all others would end earlier.
    """
    end = clip.seconds
    channels: list[Channel] = []
    for c in clip.channels:
        if not len(c.times):
            continue
        points = (c.values[:, 1] if c.interpolation == "cubic" else c.values).astype(np.float64)
        limit = tolerance.of(c.path)
        still = float(errors(c.path, points, np.broadcast_to(points[0], points.shape)).max()) <= limit
        if c.interpolation == "cubic":
            still = still and float(np.abs(c.values[:, [0, 2]]).max()) <= limit
        rest = (
            None
            if c.path == "weights"
            else np.asarray(getattr(nodes[c.node], c.path), dtype=np.float64)[None]
        )
        if still and rest is not None and float(errors(c.path, points[:1], rest)[0]) <= limit:
            continue
        channels.append(one_key(c, points[0]) if still else c)
    return replace(clip, channels=tuple(_lasting(channels, clip, end)))


def one_key(channel: Channel, value: F64) -> Channel:
    """A channel that says `value` all the time."""
    return replace(channel, times=frozen([0.0]), values=frozen(value[None]), interpolation="linear")


def _lasting(channels: list[Channel], clip: Clip, end: float) -> list[Channel]:
    if max((float(c.times[-1]) for c in channels), default=0.0) >= end - 1e-6 or end <= 0:
        return channels
    if not any(len(c.times) for c in clip.channels):
        return channels
    held = straight(channels[0] if channels else next(c for c in clip.channels if len(c.times)))
    times, values = np.append(held.times, np.float32(end)), np.concatenate([held.values, held.values[-1:]])
    return [replace(held, times=frozen(times), values=frozen(values)), *channels[1:]]


def errors(path: str, a: F64, b: F64) -> F64:
    """(K,) how far values (K, N) are apart: length for translations, angle (radians) for rotations, else the
    largest part.
    """
    if path == "rotation":
        return 4 * np.arcsin(np.minimum(_chord(a, b) / 2, 1.0))
    if path == "translation":
        return np.linalg.norm(a - b, axis=1)
    return np.abs(a - b).max(axis=1, initial=0.0)


def _chord(a: F64, b: F64) -> F64:
    """(K,) chord between unit quaternions (K, 4), the nearer of ±b: 2·sin of a quarter of the turn between
    them.
    """
    return np.minimum(np.linalg.norm(a - b, axis=1), np.linalg.norm(a + b, axis=1))


@dataclass(frozen=True, eq=False)
class _Rows:
    """Keys of several channels of one path one after another: `times` (K,), `values` (K, N), channel starts
    (C + 1,).
    """

    path: str
    times: F64
    values: F64
    starts: Ints


def reduced(clip: Clip, tolerance: Tolerance) -> tuple[Clip, dict[str, float]]:
    """The clip with as few keys as stay within `tolerance` at every key dropped, and the largest error by
    path.

    Top-down (Ramer 1972, Douglas and Peucker 1973), all channels of a path at once: in each round every
    stretch whose worst key is off by more than the tolerance gets that key back, and only stretches that were
    cut are looked at again. Steps keep the keys at which they change. Splines become straight lines first, as
    many as keep to half the tolerance.
    """
    channels = [
        _straightened(c, tolerance.of(c.path)) if c.interpolation == "cubic" else c for c in clip.channels
    ]
    out, worst = list(channels), dict[str, float]()
    for path in ("translation", "rotation", "scale", "weights"):
        mine = [
            i
            for i, c in enumerate(channels)
            if c.path == path and c.interpolation == "linear" and len(c.times) > 2
        ]
        for width in sorted({channels[i].values.shape[1] for i in mine}):
            group = [i for i in mine if channels[i].values.shape[1] == width]
            keep, error = _kept(_rows(path, [channels[i] for i in group]), tolerance.of(path))
            worst[path] = max(worst.get(path, 0.0), error)
            ends = np.cumsum([len(channels[i].times) for i in group])
            for i, mask in zip(group, np.split(keep, ends[:-1])):
                c = channels[i]
                out[i] = replace(c, times=frozen(c.times[mask]), values=frozen(c.values[mask]))
    for i, c in enumerate(channels):
        if c.interpolation == "step" and len(c.times) > 1:
            mask = np.append(True, np.any(np.diff(c.values, axis=0) != 0, axis=1))
            mask[-1] = True
            out[i] = replace(c, times=frozen(c.times[mask]), values=frozen(c.values[mask]))
    return replace(clip, channels=tuple(out)), worst


def _straightened(channel: Channel, limit: float) -> Channel:
    """A spline as straight lines that stay within half of `limit` of it half way between their keys."""
    for rate in RATES:
        out = straight(channel, rate)
        at = (out.times[:-1].astype(np.float64) + out.times[1:]) / 2
        if not len(at) or errors(channel.path, sample(out, at), sample(channel, at)).max() <= limit / 2:
            break
    return out


def _rows(path: str, channels: list[Channel]) -> _Rows:
    starts = np.cumsum([0, *(len(c.times) for c in channels)])
    values = np.concatenate([c.values for c in channels]).astype(np.float64)
    if path == "rotation":
        values /= np.maximum(np.linalg.norm(values, axis=1, keepdims=True), 1e-12)
    return _Rows(path, np.concatenate([c.times for c in channels]).astype(np.float64), values, starts)


COARSE = 40
"""Longer stretches are first looked at through about a third as many keys: most are bad and cut at once
(keys).
"""


def _kept(rows: _Rows, limit: float) -> tuple[npt.NDArray[np.bool_], float]:
    """(mask (K,) of keys kept, largest error of a key dropped)."""
    keep = np.zeros(len(rows.times), dtype=bool)
    left, right = rows.starts[:-1].copy(), rows.starts[1:] - 1
    keep[left] = keep[right] = True
    whole = np.zeros(len(left), dtype=bool)
    worst = 0.0
    while True:
        open_ = right - left > 1
        left, right, whole = left[open_], right[open_], whole[open_]
        if not len(left):
            return keep, worst
        inner = right - left - 1
        stride = np.where(whole | (inner <= COARSE), 1, inner // (COARSE // 3))
        count = inner // stride
        ends = np.cumsum(count)
        step = np.arange(1, ends[-1] + 1) - np.repeat(ends - count, count)
        at = np.repeat(left, count) + step * np.repeat(stride, count)
        off = _off(rows, at, left, right, count)
        most = np.maximum.reduceat(off, ends - count)
        bad = most > limit
        done = ~bad & (stride == 1)
        worst = max(worst, float(most[done].max(initial=0.0)))
        # The first key of each bad stretch that is as far off as its worst.
        hits = np.flatnonzero((off >= np.repeat(most, count)) & np.repeat(bad, count))
        owner = np.searchsorted(ends, hits, side="right")
        first = hits[np.append(True, np.diff(owner) > 0)] if len(hits) else hits
        split = at[first]
        keep[split] = True
        again = ~bad & ~done
        left, right, whole = (
            np.concatenate([left[bad], split, left[again]]),
            np.concatenate([split, right[bad], right[again]]),
            np.concatenate([np.zeros(2 * len(split), dtype=bool), np.ones(int(again.sum()), dtype=bool)]),
        )


def _off(rows: _Rows, at: Ints, left: Ints, right: Ints, count: Ints) -> F64:
    """(M,) error of keys `at` against what the ends of their stretches say; `count` (S,) keys of each stretch
    in turn.
    """
    begin, length = rows.times[left], rows.times[right] - rows.times[left]
    t = (rows.times[at] - np.repeat(begin, count)) / np.repeat(length, count)
    true = rows.values[at]
    if rows.path != "rotation":
        a, way = rows.values[left], rows.values[right] - rows.values[left]
        return errors(
            rows.path, np.repeat(a, count, axis=0) + t[:, None] * np.repeat(way, count, axis=0), true
        )
    a, b = rows.values[left], rows.values[right]
    dot = np.einsum("ij,ij->i", a, b)
    b, angle = np.where(dot[:, None] < 0, -b, b), np.arccos(np.minimum(np.abs(dot), 1.0))
    angle = np.maximum(angle, 1e-7)
    turn, sine = np.repeat(angle, count), np.repeat(1 / np.sin(angle), count)
    # The cosine of half the angle between the turn and the key is all that is asked for: no quaternion is
    # made.
    near = np.einsum("ij,ij->i", np.repeat(a, count, axis=0), true)
    far = np.einsum("ij,ij->i", np.repeat(b, count, axis=0), true)
    cosine = np.abs(np.sin((1 - t) * turn) * near + np.sin(t * turn) * far) * sine
    return 2 * np.sqrt(np.maximum(2 * (1 - np.minimum(cosine, 1.0)), 0.0))
