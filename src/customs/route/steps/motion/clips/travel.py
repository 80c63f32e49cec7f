"""Root motion: clips played on the spot, or their way carried by a node above."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from customs.changes.clips import map_clips
from customs.errors import StepError
from customs.job import Job
from customs.motion.clips.travel import in_place, to_node
from customs.route.step import Content, Outcome, Step, register
from customs.scene.key import made_key
from customs.scene.model import Clip, Node, Remark, Scene
from customs.scene.old_keys import old_key
from customs.scene.settings import Targeted
from customs.scene.tree import parents


class TravelSettings(Targeted):
    """What becomes of the way along the ground."""

    way: Literal["drop", "drop-drift", "above"] = Field(
        default="drop", description="drop it, drop only its even drift, or let the node above carry it"
    )
    name: str = Field(
        default="travel", min_length=1, max_length=64, description="name of a node made to carry it"
    )


def _above(scene: Scene, node: int, name: str) -> tuple[Scene, int]:
    """The node above `node`, made where there is none."""
    up = parents(scene)[node]
    if up >= 0:
        return scene, up
    key = made_key(scene.nodes[node].key, "travel", old=old_key(scene.digest, "node", "travel", node))
    new = Node(key, name, children=(node,), made_from=(scene.nodes[node].key,))
    roots = tuple(len(scene.nodes) if r == node else r for r in scene.roots)
    return replace(scene, nodes=(*scene.nodes, new), roots=roots), len(scene.nodes)


def _apply(scene: Scene, settings: TravelSettings, resources: Content, job: Job) -> Outcome:
    said: list[Remark] = []
    where = [scene]

    def change(clip: Clip) -> Clip:
        out, travel = in_place(where[0], clip, settings.way == "drop-drift")
        length = 0.0 if travel is None else float(abs(travel.way).max())
        if travel is None or length < 1e-6:
            return clip
        said.append(Remark(f"{clip.name}: {travel.speed:.2f} m/s along the ground taken out", clip.key))
        if settings.way == "above":
            where[0], carrier = _above(where[0], travel.node, settings.name)
            if where[0].nodes[carrier].matrix is not None:
                raise StepError(
                    f"{where[0].nodes[carrier].name} is sheared and cannot move",
                    "a plain node above the root",
                )
            out = to_node(where[0], out, travel, carrier)
        return replace(out, extras={**out.extras, "metres_per_second": round(travel.speed, 4)})

    out, remarks = map_clips(scene, settings, job, change)
    if out is not scene and where[0] is not scene:
        out = replace(where[0], clips=out.clips)
    return Outcome(out, (*said, *remarks))


register(
    Step(
        id="travel",
        name="Root motion",
        desk="motion",
        order=97,
        phase="form",
        about="Takes the way along the ground out of clips, or gives it to the node above the root.",
        settings=TravelSettings,
        apply=_apply,
        summary=lambda s: {"drop": "on the spot", "drop-drift": "drift out", "above": "node above"}[s.way],
        plural=True,
    )
)
