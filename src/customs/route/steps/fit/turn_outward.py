"""Turn outward: faces that look inward are turned over."""

from __future__ import annotations

import numpy as np

from customs.changes.outward import normals_follow
from customs.changes.primitives import as_triangles, map_primitives, with_faces
from customs.geometry.sides import turned_inward
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.motion.rig.leftovers import outlines
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Mesh, Primitive, Remark, Scene
from customs.scene.settings import Targeted


class TurnOutward(Targeted):
    """All meshes, or those named."""


def _apply(scene: Scene, settings: TurnOutward, resources: Content, job: Job) -> Outcome:
    count = [0]
    # An outline is a copy turned inside out on purpose: it is turned only where a person names it.
    hulls = () if settings.targets else [scene.meshes[scene.nodes[n].mesh or 0].key for n in outlines(scene)]

    def change(mesh: Mesh, prim: Primitive) -> Primitive:
        if mesh.key in hulls:
            return prim
        out = as_triangles(prim)
        faces = triangles_of(out)
        turned = turned_inward(out.positions, faces)
        if not turned.any():
            return prim
        count[0] += int(turned.sum())
        new = np.where(turned[:, None], faces[:, ::-1], faces)
        return normals_follow(with_faces(out, new, np.ones(len(new), dtype=bool)), turned)

    out = map_primitives(scene, settings, job, change)
    return Outcome(out, (Remark(f"{count[0]:,} faces turned over"),) if count[0] else ())


register(
    Step(
        id="turn-outward",
        name="Outward",
        desk="fit",
        order=42,
        about="Turns over faces that look inward, and their normals with them.",
        settings=TurnOutward,
        targets="meshes",
        apply=_apply,
        summary=lambda s: "faces turned",
    )
)
