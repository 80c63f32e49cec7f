"""Bind pose: joints back where the skin was bound."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.job import Job
from customs.motion.curves.track import channels_of
from customs.motion.posing.bind import at_bind_pose, bind_error
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Remark, Scene
from customs.scene.settings import Settings
from customs.scene.tree import mesh_nodes, world_matrices
from customs.words import many

NEAR = 1e-6


class BindPose(Settings):
    """What clips keep."""

    keep_clips: bool = Field(
        default=True, description="clips keep the old pose where they do not move a joint"
    )


def _apply(scene: Scene, settings: BindPose, resources: Content, job: Job) -> Outcome:
    used = sorted({s for n in mesh_nodes(scene) if (s := scene.nodes[n].skin) is not None})
    world = world_matrices(scene)
    off = max((bind_error(scene, s, world) for s in used), default=0.0)
    if off < NEAR:
        return Outcome(scene)
    out, shear = at_bind_pose(scene, used)
    changed = [i for i, (a, b) in enumerate(zip(scene.nodes, out.nodes)) if a is not b]
    if settings.keep_clips:
        out = replace(out, clips=tuple(_holding(scene, c, changed) for c in scene.clips))
    remarks = [Remark(f"{many(len(changed), 'joint')} brought to the bind pose; they were off by {off:.3g}")]
    if shear > 1e-4:
        remarks.append(
            Remark(f"shear of {shear:.4f} between joints cannot be said by turns and scales; left out")
        )
    return Outcome(out, tuple(remarks))


def _holding(scene: Scene, clip: Clip, nodes: list[int]) -> Clip:
    """The clip with one key for each property of `nodes` it does not move: what it played over stays what it
    plays over.
    """
    known = channels_of(clip)
    extra = []
    for n in nodes:
        node = scene.nodes[n]
        if node.matrix is not None:
            continue
        for path in ("translation", "rotation", "scale"):
            if (n, path) not in known:
                value = np.asarray(getattr(node, path), dtype=np.float64)
                extra.append(Channel(n, path, frozen([0.0]), frozen(value[None])))
    return replace(clip, channels=(*clip.channels, *extra))


register(
    Step(
        id="bind-pose",
        name="Bind pose",
        desk="motion",
        order=27,
        about="Brings joints back to where the skin was bound; clips play as before.",
        settings=BindPose,
        apply=_apply,
        summary=lambda s: "restored",
    )
)
