"""Merge joints: fewer joints, the ends of chains first; weights go with the joint above."""

from __future__ import annotations

import fnmatch
from typing import ClassVar

from pydantic import Field

from customs.job import Job
from customs.motion.posing.deviation import deviation
from customs.motion.rig.leftovers import joint_use
from customs.motion.skeleton.skeleton import skeleton_of
from customs.motion.weights.joints import leaf_first, merged
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.words import many


class MergeJoints(Settings):
    """Which joints go."""

    adds: ClassVar = ("joints", "keep")
    limit: int = Field(
        default=0,
        ge=0,
        le=4096,
        description="joints left at most, ends of chains merged first; 0 for no limit",
    )
    joints: tuple[str, ...] = Field(
        default=(), description="Keys or name patterns of joints to merge into the one above"
    )
    keep: tuple[str, ...] = Field(default=(), description="Keys or name patterns of joints that stay")


def _apply(scene: Scene, settings: MergeJoints, resources: Content, job: Job) -> Outcome:
    s, use = skeleton_of(scene), joint_use(scene)
    if not scene.skins:
        return Outcome(scene)

    def named(k: int, patterns: tuple[str, ...]) -> bool:
        node = scene.nodes[s.nodes[k]]
        return any(t == str(node.key) or fnmatch.fnmatchcase(node.name, t) for t in patterns)

    gone = {k for k in range(s.count) if named(k, settings.joints) and s.parent[k] >= 0}
    if settings.limit and s.count - len(gone) > settings.limit:
        kept = [k for k in range(s.count) if named(k, settings.keep)]
        for k in sorted(leaf_first(s, kept), key=lambda k: use.get(s.nodes[k], 0) > 0):
            if s.count - len(gone) <= settings.limit:
                break
            gone.add(k)
    if not gone:
        return Outcome(scene)
    job.check()
    out = prune(merged(scene, {s.nodes[k] for k in gone}), near=True)
    far = deviation(scene, out, check=job.check)
    text = f"{s.count} → {many(s.count - len(gone), 'joint')}"
    if far is not None:
        text += f"; worst vertex {far.distance * 1000:.1f} mm off in {far.clip or 'rest'}"
    return Outcome(out, (Remark(text),))


register(
    Step(
        id="merge-joints",
        name="Merge joints",
        desk="motion",
        order=49,
        about="Merges joints into those above, ends of chains first; the error over all clips is stated.",
        settings=MergeJoints,
        apply=_apply,
        summary=lambda s: f"≤ {s.limit}" if s.limit else many(len(s.joints), "joint"),
    )
)
