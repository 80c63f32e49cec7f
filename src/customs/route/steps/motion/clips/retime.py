"""Timing: speed, direction and frame rate of clips."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.changes.clips import map_clips
from customs.job import Job
from customs.motion.clips.retime import at_rate, backwards, between_frames, faster
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Clip, Remark, Scene
from customs.scene.settings import Targeted


class Retime(Targeted):
    """What changes."""

    speed: float = Field(default=1.0, ge=0.01, le=100, description="played this many times as fast")
    backwards: bool = Field(default=False, description="from the end to the beginning")
    rate: float = Field(
        default=0.0,
        ge=0,
        le=1000,
        description="a key on every frame at so many a second; 0 leaves keys alone",
    )


def _apply(scene: Scene, settings: Retime, resources: Content, job: Job) -> Outcome:
    said: list[Remark] = []

    def change(clip: Clip) -> Clip:
        out = clip
        if settings.speed != 1.0:
            out = faster(out, settings.speed)
        if settings.backwards:
            out = backwards(out)
        if settings.rate:
            before, out = out, at_rate(out, settings.rate)
            distance, angle = between_frames(before, out)
            if distance > 1e-4 or angle > 0.05:
                off = f"between frames up to {distance * 1000:.1f} mm and {angle:.1f}° off at a joint"
                said.append(Remark(f"{clip.name}: {off}", clip.key))
        return out if out is clip else replace(out, made_from=(clip.key, *clip.made_from))

    out, remarks = map_clips(scene, settings, job, change)
    return Outcome(out, (*said, *remarks))


def _summary(settings: Retime) -> str:
    parts = [f"× {settings.speed:g}"] if settings.speed != 1 else []
    parts += ["back"] if settings.backwards else []
    parts += [f"{settings.rate:g}/s"] if settings.rate else []
    return ", ".join(parts)[:18] or "as it is"


register(
    Step(
        id="retime",
        name="Timing",
        desk="motion",
        order=95,
        phase="form",
        about="Plays clips faster, slower or backwards, or sets a key on every frame.",
        settings=Retime,
        apply=_apply,
        summary=_summary,
        plural=True,
        placements=True,
    )
)
