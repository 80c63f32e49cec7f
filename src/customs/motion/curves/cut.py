"""Cutting a stretch out of a clip, and putting stretches one after another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.motion.curves.all_of import changed
from customs.motion.curves.keys import sample, slope
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Channel, Clip
from customs.scene.old_keys import old_key
from customs.scene.transforms import continuous

F64 = npt.NDArray[np.float64]
MERGED = 900_000
"""What an earlier edition numbered a merged clip."""
SAME_TIME = 1e-5
"""Keys closer than this are at one time (seconds)."""
SAME_VALUE = 1e-6
"""Values closer than this are one (metres, or no unit): what storing them as float32 leaves."""
HAIR = 1e-4
"""How long before a jump its last value has a key (seconds)."""


def cut(clip: Clip, start: float, end: float, name: str, number: int) -> Clip:
    """The stretch of `clip` from `start` to `end` (seconds) as a clip of its own that begins at 0.

    Keys inside stay as they are; both ends get a key with the value there.
    """
    out = changed(clip, lambda c: cut_channel(c, start, end))
    channels = tuple(c for c in out.channels if len(c.times))
    key = made_key(clip.key, "cut", number, old_key(clip.key.digest, "clip", "cut", number))
    return Clip(key, name, channels, clip.extras, (clip.key, *clip.made_from), out.pointers)


def cut_channel(channel: Channel, start: float, end: float) -> Channel:
    """The keys of `channel` between two times (seconds), the ends sampled, counted from `start`."""
    times = channel.times.astype(np.float64)
    end = max(end, start)
    inside = (times > start + SAME_TIME) & (times < end - SAME_TIME)
    ends = np.array([start, end]) if end > start + SAME_TIME else np.array([start])
    new = np.concatenate([ends[:1], times[inside], ends[1:]])
    own = channel.values.astype(np.float64)
    if channel.interpolation == "cubic":
        # Outside its keys a channel is held, whatever its first in-tangent and its last out-tangent say.
        own[0, 0] = own[-1, 2] = 0.0
    values = np.concatenate([_key_at(channel, ends[:1], own), own[inside], _key_at(channel, ends[1:], own)])
    return replace(channel, times=frozen(new - start), values=frozen(values))


def _key_at(channel: Channel, times: F64, own: F64) -> F64:
    """Key values at `times`: the channel's `own` key where it has one, else for a cubic channel with the
    slope on both sides.
    """
    values = sample(channel, times)
    if channel.interpolation != "cubic":
        return values
    tangent = slope(channel, times)
    if channel.path == "rotation":
        # The value is made one long; the way on from it is as long as it was against it.
        tangent = tangent / np.linalg.norm(
            sample(replace(channel, path="scale"), times), axis=-1, keepdims=True
        )
    out = np.stack([tangent, values, tangent], axis=1)
    off = np.abs(channel.times.astype(np.float64) - times[:, None])
    near = off.argmin(axis=1) if len(times) else np.zeros(0, dtype=np.intp)
    at_key = off[np.arange(len(times)), near] <= SAME_TIME
    out[at_key] = own[near[at_key]]
    return out


def joined(clips: Sequence[Clip], name: str, gap: float = 0.0) -> Clip:
    """`clips` one after another with `gap` seconds between, as one clip.

    Through a gap, and through clips that do not move it, a property keeps the value it was left at; before
    the first that moves it, the value it begins with.
    """
    starts = np.concatenate([[0.0], np.cumsum([c.seconds + gap for c in clips])])
    wanted = list(dict.fromkeys((c.node, c.path) for clip in clips for c in clip.channels if len(c.times)))
    channels = []
    for node, path in wanted:
        parts = []
        for clip, at in zip(clips, starts):
            mine = next(
                (c for c in clip.channels if c.node == node and c.path == path and len(c.times)), None
            )
            if mine is not None:
                whole = cut_channel(mine, 0.0, clip.seconds)
                parts.append((whole, whole.times.astype(np.float64) + float(at)))
        channels.append(_chained(parts))
    key = made_key(clips[0].key, "merge-clips", old=old_key(clips[0].key.digest, "clip", "cut", MERGED))
    return Clip(key, name, tuple(channels), clips[0].extras, tuple(c.key for c in clips))


def _chained(parts: list[tuple[Channel, F64]]) -> Channel:
    """Channels, each with its key times in the whole, as one."""
    first = parts[0][0]
    if any(c.interpolation != first.interpolation for c, _ in parts):
        parts = [_straight_at(c, times) for c, times in parts]
    times, values = parts[0][1], parts[0][0].values.astype(np.float64)
    for c, more in parts[1:]:
        times, values = _appended(parts[0][0], times, values, more, c.values.astype(np.float64))
    return replace(parts[0][0], times=frozen(times), values=frozen(values))


def _straight_at(channel: Channel, times: F64) -> tuple[Channel, F64]:
    out = straight(channel)
    return out, out.times + (times[0] - float(channel.times[0]))


def _appended(channel: Channel, times: F64, values: F64, more: F64, added: F64) -> tuple[F64, F64]:
    """(times, values) of keys with further ones after them; what was left is held up to a hair before these
    begin.
    """
    cubic = channel.interpolation == "cubic"
    left, begins = (values[-1, 1], added[0, 1]) if cubic else (values[-1], added[0])
    alike = (
        min(
            np.abs(left - begins).max(), np.abs(left + begins).max() if channel.path == "rotation" else np.inf
        )
        < SAME_VALUE
    )
    meet = more[0] - times[-1] <= SAME_TIME
    if meet and (alike or channel.interpolation == "step"):
        if cubic:
            # Where an end and a beginning are one key it is come to as the one said and left as the other.
            added[0, 0] = values[-1, 0]
        times, values = times[:-1], values[:-1]
    elif not alike and channel.interpolation != "step":
        held = values[-1:].copy()
        if cubic:
            held[:, 2] = added[0, 0] = 0.0
        if meet:
            times, values = times[:-1], values[:-1]
        elif cubic:
            values[-1, 2] = held[:, 0] = 0.0
        edge = more[0] - min(HAIR, (more[0] - times[-1]) / 2) if len(times) else more[0] - HAIR
        times, values = np.append(times, edge), np.concatenate([values, held])
    return np.concatenate([times, more]), np.concatenate([values, added])


def straight(channel: Channel, rate: float = 60.0) -> Channel:
    """The channel as straight lines: steps keep their edges, splines get a key each frame at `rate`."""
    if channel.interpolation == "linear":
        return channel
    times = channel.times.astype(np.float64)
    if channel.interpolation == "step" and len(times) > 1:
        before = times[1:] - np.minimum(HAIR, np.diff(times) / 2)
        every = np.sort(np.concatenate([times, before]))
    else:
        every = np.union1d(times, np.arange(times[0], times[-1], 1 / rate))
        every = every[np.append(np.diff(every) > SAME_TIME, True)]
    return replace(
        channel, times=frozen(every), values=frozen(sample(channel, every)), interpolation="linear"
    )


def resampled(channel: Channel, times: Any) -> Channel:
    """The channel with straight-line keys at `times` (T,) and nowhere else."""
    at = np.asarray(times, dtype=np.float64)
    values = sample(channel, at)
    values = continuous(values) if channel.path == "rotation" else values
    return replace(channel, times=frozen(at), values=frozen(values), interpolation="linear")
