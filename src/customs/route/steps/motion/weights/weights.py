"""Weights: no more influences on a vertex than the destination takes, sums exactly one."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.changes.primitives import map_primitives
from customs.job import Job
from customs.motion.posing.deviation import deviation
from customs.motion.weights.influences import limited
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.settings import Targeted


class Weights(Targeted):
    """The limit and what counts as nothing."""

    limit: int = Field(default=4, ge=1, le=16, description="influences per vertex")
    least: float = Field(default=0.0, ge=0, lt=0.5, description="weights below this share are dropped")


def _apply(scene: Scene, settings: Weights, resources: Content, job: Job) -> Outcome:
    worst = [0.0]

    def change(_: object, prim: Primitive) -> Primitive:
        if prim.joints is None or prim.weights is None:
            return prim
        joints, weights, lost = limited(prim.joints, prim.weights, settings.limit, settings.least)
        worst[0] = max(worst[0], lost)
        return replace(prim, joints=joints, weights=weights)

    out = map_primitives(scene, settings, job, change)
    text = f"largest share of weight let go on a vertex: {worst[0]:.3f}"
    far = deviation(scene, out, check=job.check) if out is not scene and scene.skins else None
    if far is not None:
        text += f"; worst vertex {far.distance * 1000:.2f} mm in {far.clip or 'rest'}"
    values = {"share": worst[0]} | ({"metres": far.distance, "clip": far.clip} if far is not None else {})
    return Outcome(out, (Remark(text, values=values),))


register(
    Step(
        id="weights",
        name="Weights",
        desk="motion",
        order=59,
        about="Keeps the strongest influences on each vertex and brings their sum to one.",
        settings=Weights,
        targets="meshes",
        apply=_apply,
        summary=lambda s: f"at most {s.limit}",
        placements=True,
    )
)
