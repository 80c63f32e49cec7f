"""Humanoid: which joint is which bone of a person, by the VRM list."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

from pydantic import Field, field_validator

from customs.job import Job
from customs.motion.skeleton.humanoid import BONES, HumanoidMap, propose_humanoid
from customs.motion.skeleton.skeleton import skeleton_of
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.words import many


class Humanoid(Settings):
    """A person's word on single bones; the rest is proposed."""

    adds: ClassVar = ("bones",)
    bones: tuple[tuple[str, str], ...] = Field(
        default=(), description="(bone, joint name); no joint leaves the bone out"
    )

    @field_validator("bones")
    @classmethod
    def _known(cls, value: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
        for bone, _ in value:
            if bone not in BONES:
                raise ValueError(f"bone {bone!r}: one of {', '.join(BONES)}")
        return value


def map_of(scene: Scene, settings: Humanoid) -> HumanoidMap:
    """The map a stop with these settings works with: a person's word, then what the file says, then the
    proposal.
    """
    said = {n.bone: n.name for n in scene.nodes if n.bone}
    chosen = dict(settings.bones)
    fixed = {**said, **{b: j for b, j in chosen.items() if j}}
    found = propose_humanoid(skeleton_of(scene), fixed)
    joints = {b: j for b, j in found.joints.items() if chosen.get(b, "x") != ""}
    return HumanoidMap(joints, {b: found.confidence[b] for b in joints})


def _apply(scene: Scene, settings: Humanoid, resources: Content, job: Job) -> Outcome:
    if not scene.skins:
        return Outcome(scene)
    found = map_of(scene, settings)
    by_name = {j: b for b, j in found.joints.items()}
    joints = set(skeleton_of(scene).nodes)
    nodes = tuple(
        n if n.bone == (bone := by_name.get(n.name, "") if i in joints else "") else replace(n, bone=bone)
        for i, n in enumerate(scene.nodes)
    )
    if all(a is b for a, b in zip(nodes, scene.nodes)):
        return Outcome(scene)
    doubtful = sorted(b for b, c in found.confidence.items() if c < 0.7)
    remarks = [Remark(f"{many(len(found.joints), 'bone')} of the humanoid map")]
    if doubtful:
        remarks.append(Remark(f"doubtful: {', '.join(doubtful)}"))
    if found.missing:
        remarks.append(Remark(f"no joint for {', '.join(found.missing)}"))
    return Outcome(replace(scene, nodes=nodes), tuple(remarks))


register(
    Step(
        id="humanoid",
        name="Humanoid",
        desk="motion",
        order=58,
        about="Says which joint is which bone of a person, by the VRM list.",
        settings=Humanoid,
        apply=_apply,
        summary=lambda s: f"{len(s.bones)} by hand" if s.bones else "as proposed",
    )
)
