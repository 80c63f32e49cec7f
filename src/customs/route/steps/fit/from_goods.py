"""From other goods: parts of another asset, as they were when a person chose them, join this one."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from customs.changes.mixing import Bringing, brought, joint_place
from customs.errors import StepError
from customs.job import Job
from customs.later import later
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.scene.transforms import inverse

rotations, snapshots = later("scipy.spatial.transform"), later("customs.changes.snapshot")
Three = tuple[float, float, float]


class FromGoods(Settings):
    """What joins, where it goes and what moves it."""

    part: str = Field(default="", description="the snapshot of what joins: its digest")
    name: str = Field(default="", description="the asset it is of")
    parts: tuple[str, ...] = Field(
        default=(), description="names of its parts that were chosen; empty means all"
    )
    source: str = Field(default="", description="that asset in the shipment, and the state it was in")
    author: str = Field(default="", description="who made it")
    licence: str = Field(default="", description="its licence")
    use: Literal["deliver", "private", "study", ""] = Field(default="", description="what is allowed")
    move: Three = Field(default=(0.0, 0.0, 0.0), description="metres moved")
    turn: Three = Field(default=(0.0, 0.0, 0.0), description="degrees turned about X, Y, Z")
    scale: float = Field(default=1.0, gt=0, le=1e6, description="scaled by")
    their_joint: str = Field(default="", description="its joint that is laid on one of this asset's")
    own_joint: str = Field(default="", description="the joint of this asset that is laid on")
    bind: Literal["names", "surface", "rigid", "none"] = Field(
        default="names",
        description="by names of joints, from this one's surface, rigid on a joint, not at all",
    )
    joint: str = Field(default="", description="the joint it is rigid on")
    near: float = Field(default=0.05, gt=0, le=10, description="how far this one's surface counts, in metres")
    limit: int = Field(default=4, ge=1, le=16, description="influences per vertex")
    soften: int = Field(default=0, ge=0, le=100, description="rounds of evening weights out along the mesh")
    left: tuple[str, ...] = Field(default=(), description="roles of textures that stayed behind")


def _laid(settings: FromGoods, scene: Scene, other: Scene) -> tuple[np.ndarray, np.ndarray]:
    """(the move (4, 4) that lays joint on joint where two are named, where it is turned about (3,))."""
    base, pivot = np.eye(4), np.zeros(3)
    if settings.their_joint or settings.own_joint:
        own, theirs = joint_place(scene, settings.own_joint), joint_place(other, settings.their_joint)
        pivot = own[:3, 3]
        base[:3, 3] = pivot - theirs[:3, 3]
    return base, pivot


def placed(settings: FromGoods, scene: Scene, other: Scene) -> np.ndarray:
    """(4, 4) where it goes: laid joint on joint where two are named, then turned and scaled about there, then moved."""
    base, pivot = _laid(settings, scene, other)
    out = np.eye(4)
    out[:3, :3] = (
        rotations.Rotation.from_euler("XYZ", settings.turn, degrees=True).as_matrix() * settings.scale
    )
    out[:3, 3] = pivot - out[:3, :3] @ pivot + settings.move
    return np.asarray(out @ base, np.float64)


def moved_on(settings: FromGoods, scene: Scene, other: Scene, step: np.ndarray) -> tuple[Three, Three]:
    """(move, turn) that put it where `step` (4, 4, no scale) takes it from where it is."""
    base, pivot = _laid(settings, scene, other)
    out = step @ placed(settings, scene, other) @ inverse(base)
    turn = rotations.Rotation.from_matrix(out[:3, :3] / settings.scale).as_euler("XYZ", degrees=True)
    move = out[:3, 3] - pivot + out[:3, :3] @ pivot
    return (float(move[0]), float(move[1]), float(move[2])), (float(turn[0]), float(turn[1]), float(turn[2]))


def _apply(scene: Scene, settings: FromGoods, resources: Content, job: Job) -> Outcome:
    if not settings.part:
        return Outcome(scene)
    other = snapshots.snapshot_of(settings.part, settings.name or "another asset", resources)
    job.check()
    place = placed(settings, scene, other)
    if not np.isfinite(inverse(place)).all():
        raise StepError("a place that cannot be undone", "finite numbers", "Change move, turn or scale.")
    how = Bringing(place, settings.bind, settings.joint, settings.near, settings.limit, settings.soften)
    out, remarks = brought(scene, other, how)
    left = f"{settings.name}: textures for {', '.join(settings.left)} stayed behind" if settings.left else ""
    return Outcome(out, (*remarks, *([Remark(left)] if left else [])))


register(
    Step(
        id="from-goods",
        name="From other goods",
        desk="fit",
        order=16,
        about="Parts of another asset join this one, on its skeleton, with their materials and textures.",
        settings=FromGoods,
        apply=_apply,
        summary=lambda s: s.name[:18],
        plural=True,
    )
)
