"""Terrain: ground that looks down is turned over."""

from __future__ import annotations

from dataclasses import replace

from customs.changes.outward import turned_over
from customs.grounds.ground import turned_down
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Targeted
from customs.words import many


class Terrain(Targeted):
    """All terrain that looks down, or the meshes named."""


def _apply(scene: Scene, settings: Terrain, resources: Content, job: Job) -> Outcome:
    meshes, count, faces = list(scene.meshes), 0, 0
    for k in turned_down(scene):
        mesh = meshes[k]
        if settings.takes(mesh.key, mesh.name, mesh.made_from):
            meshes[k] = replace(mesh, primitives=tuple(turned_over(p) for p in mesh.primitives))
            count += 1
            faces += sum(len(p.indices) // 3 for p in meshes[k].primitives if p.indices is not None)
    if not count:
        return Outcome(scene)
    text = f"{many(count, 'terrain mesh')} turned to look up ({faces:,} triangles)"
    return Outcome(replace(scene, meshes=tuple(meshes)), (Remark(text),))


register(
    Step(
        id="terrain",
        name="Terrain",
        desk="grounds",
        order=50,
        about="Turns ground over that looks down, so that it is seen from above.",
        settings=Terrain,
        targets="meshes",
        apply=_apply,
        summary=lambda s: "looks up",
        placements=True,
    )
)
