"""Close holes: rims of edges that one face has alone."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.changes.closing import closed
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Targeted
from customs.words import many


class CloseHoles(Targeted):
    """Which holes."""

    edges: int = Field(
        default=64, ge=3, le=100_000, description="edges round the largest hole that is closed"
    )


def _apply(scene: Scene, settings: CloseHoles, resources: Content, job: Job) -> Outcome:
    meshes, count, left = [], 0, 0
    for mesh in scene.meshes:
        job.check()
        if not settings.takes(mesh.key, mesh.name, mesh.made_from):
            meshes.append(mesh)
            continue
        made, n, open_ = closed(mesh, most=settings.edges)
        meshes.append(made)
        count, left = count + n, left + open_
    said = [Remark(f"{many(count, 'hole')} closed")] if count else []
    said += [Remark(f"{many(left, 'rim')} left open: larger, or no plain ring")] if left else []
    return Outcome(replace(scene, meshes=tuple(meshes)) if count else scene, tuple(said))


register(
    Step(
        id="close-holes",
        name="Close holes",
        desk="fit",
        order=35,
        about="Closes holes with faces as flat as their rims.",
        settings=CloseHoles,
        targets="meshes",
        apply=_apply,
        summary=lambda s: f"≤ {s.edges} edges",
    )
)
