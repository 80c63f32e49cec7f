"""Shared ways of going through the clips of a scene."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace

from customs.job import Job
from customs.scene.model import Channel, Clip, Remark, Scene
from customs.scene.settings import Targeted, missing_targets


def map_clips(
    scene: Scene, settings: Targeted, job: Job, change: Callable[[Clip], Clip]
) -> tuple[Scene, tuple[Remark, ...]]:
    """`change` on every clip meant, and remarks for targets that are no longer there."""
    clips = []
    for i, clip in enumerate(scene.clips):
        job.check()
        job.progress(i / max(len(scene.clips), 1), clip.name)
        clips.append(change(clip) if settings.takes(clip.key, clip.name, clip.made_from) else clip)
    remarks = missing_targets(settings, ((c.key, c.name, c.made_from) for c in scene.clips))
    if all(a is b for a, b in zip(clips, scene.clips)):
        return scene, remarks
    return replace(scene, clips=tuple(clips)), remarks


def clips_meant(clips: Iterable[Clip], target: str) -> list[Clip]:
    """Clips a Key or name pattern means; all for an empty one."""
    settings = Targeted(targets=(target,) if target else ())
    return [c for c in clips if settings.takes(c.key, c.name, c.made_from)]


def keys_of(clip: Clip) -> int:
    """Keys in all channels."""
    return sum(len(c.times) for c in clip.channels)


def following(clips: tuple[Clip, ...], went: Mapping[int, int]) -> tuple[Clip, ...]:
    """Clips whose morph weights follow meshes that `went` from one node to another."""
    if not went:
        return clips

    def moved(channel: Channel) -> Channel:
        return (
            replace(channel, node=went[channel.node])
            if channel.path == "weights" and channel.node in went
            else channel
        )

    return tuple(replace(clip, channels=tuple(moved(c) for c in clip.channels)) for clip in clips)


def shared(clips: tuple[Clip, ...], parts: Mapping[int, list[int]]) -> tuple[Clip, ...]:
    """Clips whose morph weights move the `parts` of what a node showed too, each a node of its own."""
    if not parts:
        return clips

    def all_of(channel: Channel) -> Iterable[Channel]:
        yield channel
        if channel.path == "weights":
            yield from (replace(channel, node=n) for n in parts.get(channel.node, ()))

    return tuple(
        replace(clip, channels=tuple(c for ch in clip.channels for c in all_of(ch))) for clip in clips
    )
