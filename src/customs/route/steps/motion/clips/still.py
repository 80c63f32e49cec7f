"""Still joints: chosen joints keep one key in chosen clips."""

from __future__ import annotations

import fnmatch
from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from customs.changes.clips import map_clips
from customs.job import Job
from customs.motion.curves.keys import sample
from customs.motion.curves.reduce import one_key
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Channel, Clip, Remark, Scene
from customs.scene.settings import Targeted
from customs.words import many


class Still(Targeted):
    """Which joints, in the clips meant. Without joints nothing is done."""

    joints: tuple[str, ...] = Field(default=(), description="Keys or name patterns of the joints")
    key: Literal["first", "rest"] = Field(
        default="first", description="the one key left: the clip's first, or the rest pose"
    )


def _apply(scene: Scene, settings: Still, resources: Content, job: Job) -> Outcome:
    def chosen(node: int) -> bool:
        n = scene.nodes[node]
        return any(t == str(n.key) or fnmatch.fnmatchcase(n.name, t) for t in settings.joints)

    nodes = {i for i in range(len(scene.nodes)) if chosen(i)}
    gone = [
        t
        for t in settings.joints
        if not any(fnmatch.fnmatchcase(n.name, t) or t == str(n.key) for n in scene.nodes)
    ]
    lost = [0]

    def one(channel: Channel) -> Channel:
        if channel.node not in nodes or channel.path == "weights" or len(channel.times) < 2:
            return channel
        lost[0] += len(channel.times) - 1
        rest = np.asarray(getattr(scene.nodes[channel.node], channel.path))
        return one_key(channel, sample(channel, 0.0) if settings.key == "first" else rest)

    def change(clip: Clip) -> Clip:
        channels = tuple(one(c) for c in clip.channels)
        return (
            clip if all(a is b for a, b in zip(channels, clip.channels)) else replace(clip, channels=channels)
        )

    out, remarks = map_clips(scene, settings, job, change)
    said = (Remark(f"{lost[0]:,} keys of {many(len(nodes), 'joint')} cleared"),) if lost[0] else ()
    return Outcome(out, (*said, *remarks, *(Remark(f"{t}: no longer there") for t in gone)))


register(
    Step(
        id="still",
        name="Still joints",
        desk="motion",
        order=98,
        phase="form",
        about="Clears the movement of chosen joints, one key left.",
        settings=Still,
        apply=_apply,
        summary=lambda s: many(len(s.joints), "joint"),
        plural=True,
    )
)
