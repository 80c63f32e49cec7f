"""Finest levels: of levels of detail that came along only the finest stay."""

from __future__ import annotations

from dataclasses import replace

from customs.changes.came_levels import families
from customs.changes.came_rows import row_levels
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.prune import prune_content, prune_nodes
from customs.scene.settings import Targeted
from customs.scene.tree import joint_nodes
from customs.words import many


class FinestLevels(Targeted):
    """All families of levels, or those whose finest is named."""


def _apply(scene: Scene, settings: FinestLevels, resources: Content, job: Job) -> Outcome:
    gone, said, joints = set[int](), list[Remark](), joint_nodes(scene)
    for family in families(scene):
        finest = scene.nodes[family.members[0][1]]
        if not settings.takes(finest.key, finest.name, finest.made_from):
            continue
        mine = {n for _, n in family.members[1:]} - joints
        gone |= mine
        counts = " · ".join(f"{t:,}" for t in family.triangles)
        said.append(
            Remark(
                f"{family.name}: {many(len(family.members), 'level')} ({counts} triangles), the finest stays",
                finest.key,
                {"coarser_levels": sum(family.triangles[1:])},
            )
        )
    rows = row_levels(scene) if not settings.targets else None
    if rows is not None and rows.sets:
        count = int(rows.coarser.sum())
        said.append(
            Remark(
                f"{many(rows.sets, 'placed set')} of levels: {many(count, 'coarser placement')} gone",
                values={"coarser_placements": count},
            )
        )
        scene = replace(scene, placements=scene.placements.at(~rows.coarser))
    if not gone and not said:
        return Outcome(scene)
    nodes = tuple(replace(n, children=tuple(c for c in n.children if c not in gone)) for n in scene.nodes)
    out = replace(scene, nodes=nodes, roots=tuple(r for r in scene.roots if r not in gone))
    return Outcome(prune_content(prune_nodes(out), near=True), tuple(said))


register(
    Step(
        id="finest-levels",
        name="Finest levels",
        desk="fittings",
        order=13,
        about="Of levels of detail that came along, told by their names, places and boxes, only the finest stay.",
        settings=FinestLevels,
        targets="nodes",
        apply=_apply,
        summary=lambda s: "finest kept",
        placements=True,
    )
)
