"""Weight sums: the weights of every vertex sum to one, before anything is measured on the posed mesh."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.changes.primitives import map_primitives
from customs.job import Job
from customs.motion.weights.influences import limited
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.settings import Targeted
from customs.tolerances import WEIGHT_SUM


class WeightSums(Targeted):
    """Nothing to set but the meshes."""


def _apply(scene: Scene, settings: WeightSums, resources: Content, job: Job) -> Outcome:
    off, worst = [0], [0.0]

    def change(_: object, prim: Primitive) -> Primitive:
        if prim.joints is None or prim.weights is None:
            return prim
        sums = prim.weights.sum(axis=1, dtype=np.float64)
        # What sums to nothing has no joint to follow yet: filling it in is another step.
        rows = (np.abs(sums - 1) > WEIGHT_SUM) & (sums > 0)
        if not rows.any():
            return prim
        width = prim.joints.shape[1]
        joints, weights, _lost = limited(prim.joints, prim.weights, width, 0.0)
        off[0] += int(rows.sum())
        worst[0] = max(worst[0], float(np.abs(sums[rows] - 1).max()))
        even = rows[:, None]
        return replace(
            prim,
            joints=frozen(np.where(even, joints[:, :width], prim.joints), np.uint16),
            weights=frozen(np.where(even, weights[:, :width], prim.weights)),
        )

    out = map_primitives(scene, settings, job, change)
    text = f"weights of {off[0]:,} vertices brought to a sum of one; the sums were up to {worst[0]:.2g} off"
    return Outcome(out, (Remark(text),) if off[0] else ())


register(
    Step(
        id="weight-sums",
        name="Weight sums",
        desk="motion",
        order=6,
        about="Brings the weights of every vertex to a sum of one before size and footing are measured.",
        settings=WeightSums,
        targets="meshes",
        apply=_apply,
        summary=lambda s: "to one",
        placements=True,
    )
)
