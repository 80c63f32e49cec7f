"""Pose: the rest pose becomes a moment of a clip, with joints turned by hand, for a still."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, ClassVar

import numpy as np
from pydantic import Field

from customs.changes.clips import clips_meant
from customs.job import Job
from customs.later import later
from customs.motion.curves.keys import sample
from customs.motion.curves.track import channels_of
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.model import Clip, Node, Remark, Scene
from customs.scene.settings import Settings
from customs.scene.transforms import decompose_all, multiply_quaternions
from customs.words import many

transform = later("scipy.spatial.transform")
Turn = tuple[str, float, float, float]


class Pose(Settings):
    """What to stand like."""

    adds: ClassVar = ("turns",)
    clip: str = Field(default="", description="Key or name pattern of a clip; nothing stands at rest")
    seconds: float = Field(default=0.0, ge=0, description="the moment of it, in seconds")
    turns: tuple[Turn, ...] = Field(
        default=(),
        description="(joint Key or name, x, y, z): degrees about its own axes, one after another, on top",
    )


def _apply(scene: Scene, settings: Pose, resources: Content, job: Job) -> Outcome:
    remarks: list[Remark] = []
    clips = clips_meant(scene.clips, settings.clip) if settings.clip else []
    if settings.clip and not clips:
        remarks.append(Remark(f"{settings.clip}: no such clip; the rest pose was taken"))
    nodes = list(scene.nodes)
    for (n, path), channel in channels_of(clips[0] if clips else None).items():
        value = sample(channel, min(settings.seconds, clips[0].seconds))
        change: Any = {path: frozen(value, np.float32 if path == "weights" else np.float64)}
        nodes[n] = replace(_parted(nodes[n], path), **change)
    by_name = {key: i for i, node in enumerate(nodes) for key in (node.name, str(node.key))}
    for joint, *degrees in settings.turns:
        if joint not in by_name:
            remarks.append(Remark(f"{joint}: no such joint"))
            continue
        i = by_name[joint]
        node = _parted(nodes[i], "rotation")
        # Capital letters: about the joint's own axes, each after the one before (scipy.spatial.transform).
        turn = transform.Rotation.from_euler("XYZ", degrees, degrees=True).as_quat()
        nodes[i] = replace(
            node, rotation=frozen(multiply_quaternions(np.asarray(node.rotation), turn), np.float64)
        )
    if all(a is b for a, b in zip(nodes, scene.nodes)):
        return Outcome(scene, tuple(remarks))
    said = (
        f"stands as {clips[0].name} at {min(settings.seconds, clips[0].seconds):.2f} s"
        if clips
        else "stands at rest"
    )
    turned = f", {many(len(settings.turns), 'joint')} turned" if settings.turns else ""
    return Outcome(replace(scene, nodes=tuple(nodes)), (Remark(said + turned), *remarks))


def _parted(node: Node, path: str) -> Node:
    """A node whose place is said in parts, so that one part can be changed."""
    if node.matrix is None or path == "weights":
        return node
    t, q, s, _ = decompose_all(node.matrix)
    return replace(
        node,
        matrix=None,
        translation=frozen(t, np.float64),
        rotation=frozen(q, np.float64),
        scale=frozen(s, np.float64),
    )


def moment(clip: Clip, seconds: float) -> dict[str, Any]:
    """Settings that stand like `clip`, or what it was first made from, at `seconds`."""
    return {"clip": str((clip.key, *clip.made_from)[-1]), "seconds": float(seconds)}


register(
    Step(
        id="pose",
        name="Pose",
        desk="motion",
        order=19,
        about="Stands like a moment of a clip, with joints turned by hand: for a still.",
        settings=Pose,
        apply=_apply,
        summary=lambda s: (
            " ".join(
                w for w, on in ((f"{s.seconds:.2f} s", s.clip), (f"{len(s.turns)} turned", s.turns)) if on
            )[:18]
            or "at rest"
        ),
    )
)
