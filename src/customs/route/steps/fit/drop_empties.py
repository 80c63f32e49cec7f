"""Drop empties: nodes that hold nothing go; nothing moves in world space."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.changes.emptying import empties, without
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.folding import row_names
from customs.scene.model import Remark, Scene
from customs.scene.settings import Targeted


class DropEmpties(Targeted):
    """All empties, or those named."""


def _apply(scene: Scene, settings: DropEmpties, resources: Content, job: Job) -> Outcome:
    nodes = scene.nodes
    gone = {n for n in empties(scene) if settings.takes(nodes[n].key, nodes[n].name, nodes[n].made_from)}
    stay = scene.placements.shows
    if settings.targets:
        taken = [settings.takes(r.key, r.name, ()) for r in row_names(scene)]
        stay = stay | ~np.array(taken, dtype=bool)
    count = len(gone) + int(np.count_nonzero(~stay))
    if not count:
        return Outcome(scene)
    out = without(replace(scene, placements=scene.placements.at(stay)), gone)
    return Outcome(out, (Remark(f"{count:,} empty nodes dropped"),))


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
