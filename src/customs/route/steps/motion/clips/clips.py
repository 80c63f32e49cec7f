"""Clips: takes cut into named clips by ranges, in the order and with the names of a table."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field, field_validator

from customs.changes.clips import clips_meant
from customs.errors import StepError
from customs.job import Job
from customs.motion.clips.ranges import look_at
from customs.motion.curves.cut import cut
from customs.motion.curves.track import frame_rate
from customs.route.step import Content, Outcome, Step, register
from customs.scene.key import Key
from customs.scene.model import Clip, Remark, Scene
from customs.scene.old_keys import FIRST
from customs.scene.settings import Settings
from customs.words import many

Range = tuple[str, float, float, str]
MOST = 400


class Clips(Settings):
    """The table. Clips no row takes from stay as they are, after the table's."""

    adds: ClassVar = ("ranges",)
    ranges: tuple[Range, ...] = Field(
        default=(), max_length=MOST, description="(name, first, last, take); no take means the first"
    )
    unit: Literal["frames", "seconds"] = Field(default="frames", description="what first and last count")
    rate: float = Field(default=30.0, gt=0, le=1000, description="frames a second")
    find: bool = Field(
        default=False, description="without a table: cut takes at their rests and repeated poses"
    )

    @field_validator("ranges")
    @classmethod
    def _sound(cls, value: tuple[Range, ...]) -> tuple[Range, ...]:
        for name, first, last, _ in value:
            if not name.strip():
                raise ValueError("a name for every clip")
            if not 0 <= first <= last < 1e7:
                raise ValueError(
                    f"clip {name}: {first:g} to {last:g}; first at 0 or later, last not before first"
                )
        return value


def _seconds(settings: Clips, value: float) -> float:
    return value / settings.rate if settings.unit == "frames" else value


def _by_table(scene: Scene, settings: Clips, job: Job) -> tuple[list[Clip], list[Remark]]:
    made, used, remarks = list[Clip](), set[int](), list[Remark]()
    for number, (name, first, last, take) in enumerate(settings.ranges):
        job.check()
        found = clips_meant(scene.clips, take)[:1]
        if not found:
            remarks.append(Remark(f"clip {name}: its take {take or 'of the asset'} is no longer there"))
            continue
        source = found[0]
        start, end = _seconds(settings, first), _seconds(settings, last)
        if start > source.seconds + 1e-3:
            raise StepError(
                f"clip {name} begins at {start:.2f} s, its take {source.name} ends at {source.seconds:.2f} s",
                "a range inside the take",
                "Change its first and last, or the frame rate.",
                where=f"ranges[{number}]",
            )
        if end > source.seconds + 1e-3:
            remarks.append(
                Remark(f"clip {name} ends {end - source.seconds:.2f} s after its take; cut there", source.key)
            )
        used.add(id(source))
        made.append(cut(source, start, min(end, source.seconds), name, number))
    return [*made, *(c for c in scene.clips if id(c) not in used)], remarks


def _by_itself(scene: Scene, job: Job) -> tuple[list[Clip], list[Remark]]:
    made, remarks = list[Clip](), list[Remark]()
    for clip in scene.clips:
        job.check()
        found = look_at(scene, clip, frame_rate(clip)).found
        if len(found) < 2:
            made.append(clip)
            continue
        for k, stretch in enumerate(found):
            made.append(cut(clip, stretch.start, stretch.end, f"{clip.name} {k + 1}", len(made)))
        remarks.append(
            Remark(
                f"{clip.name} → {many(len(found), 'clip')}, at its {'rests' if found[0].by == 'rest' else 'poses'}",
                clip.key,
            )
        )
    return made, remarks


def _apply(scene: Scene, settings: Clips, resources: Content, job: Job) -> Outcome:
    if not scene.clips or not (settings.ranges or settings.find):
        return Outcome(scene)
    made, remarks = _by_table(scene, settings, job) if settings.ranges else _by_itself(scene, job)
    if len(made) == len(scene.clips) and all(a is b for a, b in zip(made, scene.clips)):
        return Outcome(scene, tuple(remarks))
    return Outcome(replace(scene, clips=_numbered_as_before(made)), tuple(remarks))


def _numbered_as_before(clips: list[Clip]) -> tuple[Clip, ...]:
    """Clips whose old numbers are the ones an earlier edition settled on, where two would have had one."""
    taken: set[Key] = set()
    out = []
    for clip in clips:
        old = clip.key.was
        while old in taken:
            old = Key(old.digest, "clip", max(old.ordinal, FIRST["cut"]) + 1000)
        taken.add(old)
        out.append(clip if old == clip.key.was else replace(clip, key=replace(clip.key, old=str(old))))
    return tuple(out)


register(
    Step(
        id="clips",
        name="Clips",
        desk="motion",
        order=94,
        phase="form",
        about="Cuts takes into named clips by ranges of frames or seconds, or at their rests.",
        settings=Clips,
        apply=_apply,
        summary=lambda s: (
            many(len(s.ranges), "clip") if s.ranges else "at rests" if s.find else "as they are"
        ),
    )
)
