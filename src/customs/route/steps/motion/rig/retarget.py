"""Retarget: clips of a donor brought onto the asset's own skeleton, its proportions kept."""

from __future__ import annotations

import fnmatch
from dataclasses import replace
from typing import ClassVar

from pydantic import Field

from customs.changes.donor import take_donor
from customs.errors import StepError
from customs.job import Job
from customs.motion.curves.track import frame_rate, frame_times
from customs.motion.rig.retarget import Ground, Retargeting, leg_ratio, retarget, unpaired
from customs.motion.skeleton.humanoid import propose_humanoid
from customs.motion.skeleton.pairing import propose
from customs.motion.skeleton.skeleton import Skeleton, skeleton_of
from customs.route.step import Content, Outcome, Step, register
from customs.scene.key import made_key
from customs.scene.model import Remark, Scene
from customs.scene.old_keys import old_key
from customs.scene.settings import Settings
from customs.words import many


class Retarget(Settings):
    """Whose clips, and how they come."""

    adds: ClassVar = ("clips", "pairs")
    donor: str = Field(default="", description="digest of the donor whose clips are taken")
    clips: tuple[str, ...] = Field(default=(), description="name patterns of the clips; none means all")
    pairs: tuple[tuple[str, str], ...] = Field(
        default=(), description="(donor joint, own joint) chosen by a person"
    )
    ground: bool = Field(
        default=True, description="feet keep to the ground where they did in the donor's clip"
    )
    own: bool = Field(default=True, description="the asset's own clips stay")


def feet(source: Skeleton, target: Skeleton, pairs: dict[int, int]) -> Ground:
    """Hips, knees and ankles by the humanoid map of the target, with the source's ankles."""
    found = propose_humanoid(target).joints
    back = {b: a for a, b in pairs.items()}
    out = []
    for side in ("left", "right"):
        names = [found.get(f"{side}{part}") for part in ("UpperLeg", "LowerLeg", "Foot")]
        joints = [target.names.index(n) for n in names if n is not None]
        if len(joints) == 3 and joints[2] in back:
            out.append((joints[0], joints[1], joints[2], back[joints[2]]))
    return Ground(tuple(out))


def _apply(scene: Scene, settings: Retarget, resources: Content, job: Job) -> Outcome:
    if not settings.donor or not scene.skins:
        return Outcome(scene)
    donor = take_donor(settings.donor, resources)
    theirs, mine = skeleton_of(donor, (0,)), skeleton_of(scene)
    found = propose(theirs, mine, dict(settings.pairs))
    pairs = {theirs.names.index(p.arriving): mine.names.index(p.donor) for p in found}
    if len(pairs) < 2:
        raise StepError(
            "hardly any joint is like one of the donor's",
            "at least two pairs",
            "Pair joints by hand.",
            where="pairs",
        )
    way = Retargeting(donor, theirs, scene, mine, pairs)
    ground = feet(theirs, mine, pairs) if settings.ground else None
    chosen = [
        c
        for c in donor.clips
        if not settings.clips or any(fnmatch.fnmatchcase(c.name, t) for t in settings.clips)
    ]
    made, lost = [], set[str]()
    for k, clip in enumerate(chosen):
        job.check()
        job.progress(k / max(len(chosen), 1), f"Retarget {clip.name}")
        new = retarget(way, clip, frame_times(clip, frame_rate(clip)), ground)
        made.append(
            replace(new, key=made_key(clip.key, "retarget", old=old_key(scene.digest, "clip", "retarget", k)))
        )
        lost |= set(unpaired(way, clip))
    root = next(a for a in theirs.order if a in pairs)
    text = f"{many(len(made), 'clip')} of {donor.name}, {many(len(pairs), 'joint')} paired, strides × {leg_ratio(way, root):.2f}"
    if lost:
        text += f"; without a pair, left behind: {', '.join(sorted(lost)[:6])}"
    kept = scene.clips if settings.own else ()
    return Outcome(
        replace(scene, clips=(*kept, *made)), (Remark(text, values={"left": tuple(sorted(lost))}),)
    )


register(
    Step(
        id="retarget",
        name="Retarget",
        desk="motion",
        order=56,
        about="Brings a donor's clips onto the asset's own skeleton; its proportions stay.",
        settings=Retarget,
        apply=_apply,
        summary=lambda s: many(len(s.clips), "clip") if s.clips else "all clips",
    )
)
