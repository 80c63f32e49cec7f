"""Drop empties: nodes that hold nothing go; nothing moves in world space."""

from __future__ import annotations

from customs.changes.emptying import empties, without
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Targeted


class DropEmpties(Targeted):
    """All empties, or those named."""


def _apply(scene: Scene, settings: DropEmpties, resources: Content, job: Job) -> Outcome:
    nodes = scene.nodes
    gone = {n for n in empties(scene) if settings.takes(nodes[n].key, nodes[n].name, nodes[n].made_from)}
    if not gone:
        return Outcome(scene)

    out = without(scene, gone)
    return Outcome(out, (Remark(f"{len(gone)} empty nodes dropped"),))


register(
    Step(
        id="drop-empties",
        name="Empties",
        desk="fit",
        order=43,
        about="Drops nodes that hold nothing; what was below them stays where it is.",
        settings=DropEmpties,
        targets="nodes",
        apply=_apply,
        summary=lambda s: "dropped",
        placements=True,
    )
)
