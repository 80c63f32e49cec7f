"""Loop: the end of a clip led to its beginning, so that it plays round without a jump."""

from __future__ import annotations

from pydantic import Field

from customs.changes.clips import map_clips
from customs.job import Job
from customs.motion.clips.loop import closed, seam
from customs.motion.clips.travel import travel_of
from customs.motion.curves.track import frame_rate
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Clip, Remark, Scene
from customs.scene.settings import Targeted


class Loop(Targeted):
    """How much of the end is changed."""

    seconds: float = Field(
        default=0.25, gt=0, le=60, description="length of the end that is led over, in seconds"
    )
    travel: bool = Field(
        default=True, description="a root that travels along the ground may go on travelling"
    )


def _apply(scene: Scene, settings: Loop, resources: Content, job: Job) -> Outcome:
    said: list[Remark] = []

    def change(clip: Clip) -> Clip:
        before = seam(scene, clip, not settings.travel)
        travel = travel_of(scene, clip) if settings.travel else None
        free = (
            frozenset({(travel.node, "translation")})
            if travel is not None and travel.speed > 0.05
            else frozenset()
        )
        out = closed(clip, settings.seconds, max(frame_rate(clip), 24.0), free)
        said.append(
            Remark(
                f"{clip.name}: seam {before * 1000:.1f} mm → {seam(scene, out, not settings.travel) * 1000:.1f} mm",
                clip.key,
            )
        )
        return out

    out, remarks = map_clips(scene, settings, job, change)
    return Outcome(out, (*said, *remarks))


register(
    Step(
        id="loop",
        name="Loop",
        desk="motion",
        order=96,
        phase="form",
        about="Leads the end of a clip to its beginning, so that it loops without a jump.",
        settings=Loop,
        apply=_apply,
        summary=lambda s: f"last {s.seconds:g} s",
        plural=True,
    )
)
