"""Join: pieces become one mesh, its parts merged by material."""

from __future__ import annotations

from customs.changes.joining import join_meshes
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Scene
from customs.scene.settings import Settings


class Join(Settings):
    """Nothing to set: every mesh node in the tree is joined."""


def _apply(scene: Scene, settings: Join, resources: Content, job: Job) -> Outcome:
    out, remarks = join_meshes(scene)
    return Outcome(out, remarks)


register(
    Step(
        id="join",
        name="Join",
        desk="fit",
        order=37,
        about="Joins all meshes into one directly under the root; parts with one material become one part.",
        settings=Join,
        apply=_apply,
        summary=lambda s: "one mesh",
    )
)
