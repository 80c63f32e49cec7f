"""Reduce: channels that say nothing dropped, and keys that others stand for, within a stated error."""

from __future__ import annotations

from typing import ClassVar

from pydantic import Field

from customs.changes.clips import keys_of, map_clips
from customs.job import Job
from customs.motion.curves.reduce import Tolerance, reduced, without_idle
from customs.motion.posing.deviation import deviation
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Clip, Remark, Scene
from customs.scene.settings import Targeted


class Reduce(Targeted):
    """What may be lost at a key."""

    stays: ClassVar = ("idle", "keys")
    millimetres: float = Field(
        default=0.2, ge=0, le=1000, description="largest error of a position, in millimetres"
    )
    degrees: float = Field(default=0.05, ge=0, le=45, description="largest error of a turn, in degrees")
    idle: bool = Field(default=True, description="drop channels that stay at rest")
    keys: bool = Field(default=True, description="drop keys others stand for")


def _apply(scene: Scene, settings: Reduce, resources: Content, job: Job) -> Outcome:
    tolerance = Tolerance(settings.millimetres / 1000, settings.degrees)
    before = sum(keys_of(c) for c in scene.clips)

    def change(clip: Clip) -> Clip:
        out = without_idle(clip, scene.nodes, tolerance) if settings.idle else clip
        if settings.keys:
            out = reduced(out, tolerance)[0]
        return clip if keys_of(out) == keys_of(clip) and len(out.channels) == len(clip.channels) else out

    out, remarks = map_clips(scene, settings, job, change)
    if out is scene:
        return Outcome(scene, remarks)
    far = deviation(scene, out, check=job.check)
    worst = f"; worst vertex {far.distance * 1000:.2f} mm in {far.clip or 'rest'}" if far is not None else ""
    return Outcome(
        out, (Remark(f"{before:,} → {sum(keys_of(c) for c in out.clips):,} keys{worst}"), *remarks)
    )


register(
    Step(
        id="reduce",
        name="Reduce",
        desk="motion",
        order=99,
        phase="form",
        about="Drops channels that say nothing and keys that others stand for, within a stated error.",
        settings=Reduce,
        apply=_apply,
        summary=lambda s: f"{s.millimetres:g} mm, {s.degrees:g}°",
    )
)
