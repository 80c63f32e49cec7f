"""Weightless: vertices without a sound weight take those of their neighbours on the mesh."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.changes.primitives import map_primitives
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_of_rows
from customs.job import Job
from customs.motion.weights.influences import sound_weights
from customs.motion.weights.table import influences_of, table_of
from customs.motion.weights.transfer import inpaint
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.settings import Targeted


class Weightless(Targeted):
    """What counts as none."""

    least: float = Field(
        default=1e-4, gt=0, lt=1, description="vertices whose weights sum to less are filled in"
    )


def _apply(scene: Scene, settings: Weightless, resources: Content, job: Job) -> Outcome:
    joints = {i: len(s.joints) for i, s in enumerate(scene.skins)}
    skin_of = {n.mesh: n.skin for n in scene.nodes if n.mesh is not None and n.skin is not None}
    number = {id(m): i for i, m in enumerate(scene.meshes)}
    filled = [0]

    def change(mesh: object, prim: Primitive) -> Primitive:
        skin = skin_of.get(number[id(mesh)])
        if prim.joints is None or prim.weights is None or skin is None:
            return prim
        sound = sound_weights(prim, joints[skin])
        # A vertex of which one weight is broken is not to be trusted with the rest of them.
        bad = (sound.sum(axis=1) < settings.least) | ~((prim.weights == sound).all(axis=1))
        if not bad.any() and sound is prim.weights:
            return prim
        clean = replace(prim, weights=sound)
        if bad.all() or not bad.any():
            return clean
        filled[0] += int(bad.sum())
        table = table_of(clean, joints[skin]).toarray()
        group = groups_of_rows(prim.positions)
        first = np.unique(group, return_index=True)[1]
        # Of vertices at one place a sound one speaks for all.
        small = table[first]
        good = np.flatnonzero(~bad)
        small[group[good]] = table[good]
        sure = np.zeros(len(first), dtype=bool)
        sure[group[good]] = True
        solved = inpaint(prim.positions[first], group[triangles_of(prim)], small, sure)
        new_joints, weights = influences_of(
            np.where(bad[:, None], solved[group], table), prim.joints.shape[1]
        )
        return replace(
            prim,
            joints=np.where(bad[:, None], new_joints, prim.joints).astype(np.uint16),
            weights=np.where(bad[:, None], weights, sound).astype(np.float32),
        )

    out = map_primitives(scene, settings, job, change)
    return Outcome(
        out, (Remark(f"{filled[0]:,} vertices took their neighbours' weights"),) if out is not scene else ()
    )


register(
    Step(
        id="weightless",
        name="Fill weights",
        desk="motion",
        order=5,
        about="Vertices without a sound weight take those of their neighbours on the mesh.",
        settings=Weightless,
        targets="meshes",
        apply=_apply,
        summary=lambda s: "from neighbours",
    )
)
