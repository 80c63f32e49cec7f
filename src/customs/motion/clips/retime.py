"""Speed, direction and frame rate of clips."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.motion.curves.all_of import changed
from customs.motion.curves.cut import resampled
from customs.motion.curves.keys import sample
from customs.motion.curves.reduce import errors
from customs.motion.curves.track import frame_times
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip


def faster(clip: Clip, factor: float) -> Clip:
    """The clip played `factor` times as fast (over 0): times divided, tangents multiplied."""

    def change(channel: Channel) -> Channel:
        values = channel.values
        if channel.interpolation == "cubic":
            values = np.array(values)
            values[:, [0, 2]] *= np.float32(factor)
        return replace(
            channel, times=frozen(channel.times.astype(np.float64) / factor), values=frozen(values)
        )

    return changed(clip, change)


def backwards(clip: Clip) -> Clip:
    """The clip from its end to its beginning. In- and out-tangents change places and sign."""
    end = clip.seconds

    def change(channel: Channel) -> Channel:
        times, values = end - channel.times[::-1].astype(np.float64), channel.values[::-1]
        if channel.interpolation == "cubic":
            values = np.stack([-values[:, 2], values[:, 1], -values[:, 0]], axis=1)
        if channel.interpolation == "step" and len(channel.times) > 1:
            # What was held from a key on is held up to it now: values move one key later.
            values = np.concatenate([values[1:], values[-1:]])
        return replace(channel, times=frozen(times), values=frozen(values))

    return changed(clip, change)


def between_frames(before: Clip, after: Clip) -> tuple[float, float]:
    """Largest (distance, angle in degrees) at the keys of `before` that lie between the frames of `after`.

    Both move in straight lines between keys, so where they differ most is a key of one of them; channels go
    in pairs.
    """
    worst = {"translation": 0.0, "rotation": 0.0}
    for old, new in zip(before.channels, after.channels):
        if old.path in worst and len(old.times) and old is not new:
            at = old.times.astype(np.float64)
            worst[old.path] = max(
                worst[old.path], float(errors(old.path, sample(old, at), sample(new, at)).max())
            )
    return worst["translation"], float(np.degrees(worst["rotation"]))


def at_rate(clip: Clip, rate: float) -> Clip:
    """The clip with a key on every frame at `rate` (frames a second), straight lines between; steps stay
    steps.
    """
    frames = frame_times(clip, rate)

    def change(channel: Channel) -> Channel:
        return channel if channel.interpolation == "step" else resampled(channel, frames)

    return replace(changed(clip, change), extras={**clip.extras, "rate": rate})
