"""Faces between: faces that lie against others which look the other way are left out."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.changes.primitives import without_empty_meshes
from customs.grounds.faces import without_covered
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Targeted


class FacesBetween(Targeted):
    """How near faces count as lying against each other."""

    near: float = Field(
        default=0.0005, gt=0, le=0.1, description="metres within which faces lie against each other"
    )


def _apply(scene: Scene, settings: FacesBetween, resources: Content, job: Job) -> Outcome:
    meshes, gone = list(scene.meshes), 0
    for k, mesh in enumerate(meshes):
        job.check()
        job.progress(k / len(meshes), mesh.name)
        if settings.takes(mesh.key, mesh.name, mesh.made_from):
            meshes[k], count = without_covered(mesh, settings.near)
            gone += count
    if not gone:
        return Outcome(scene)
    out = without_empty_meshes(replace(scene, meshes=tuple(meshes)))
    return Outcome(out, (Remark(f"{gone:,} triangles between pieces that touch left out"),))


register(
    Step(
        id="faces-between",
        name="Faces between",
        desk="grounds",
        order=15,
        about="Leaves out faces nobody can see, because they lie wholly against others that look the other way.",
        settings=FacesBetween,
        targets="meshes",
        apply=_apply,
        summary=lambda s: f"within {s.near * 1000:g} mm",
    )
)
