"""Shapes: simple bodies that stand in for the mesh, one purpose each."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field, field_validator

from customs.changes.shapes import PURPOSES, Wanted, made_shapes, shapes_of
from customs.job import Job
from customs.later import later
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import CollisionShape, Node, Remark, Scene
from customs.scene.prune import with_nodes
from customs.scene.settings import Settings
from customs.scene.transforms import multiply_quaternions
from customs.words import many

transform = later("scipy.spatial.transform")
Kind = Literal["", "sphere", "capsule", "box", "turned-box", "hull", "hulls", "mesh", "simplified", "joints"]
Three = tuple[float, float, float]
Edit = tuple[str, int, Three, Three, Three]


class Shapes(Settings):
    """What stands in for the mesh, by purpose; "" makes none."""

    hits: Kind = Field(default="", description="what is hit")
    picking: Kind = Field(default="", description="what is picked with a pointer")
    around: Kind = Field(default="", description="one around all")
    walking: Kind = Field(default="", description="what is walked on")
    by: Literal["whole", "part"] = Field(
        default="whole", description="one for the whole, or one for each part"
    )
    corners: int = Field(default=32, ge=4, le=4096, description="corners of a hull at most")
    hulls: int = Field(default=8, ge=2, le=256, description="hulls at most where there are several")
    triangles: int = Field(
        default=200, ge=4, le=10**7, description="triangles of the simplified mesh at most"
    )
    out: float = Field(
        default=0.0, ge=0, lt=0.5, description="share of the surface that may stick out; 0 covers everything"
    )
    edits: tuple[Edit, ...] = Field(
        default=(),
        description="by hand: purpose, number, metres moved, degrees turned about X Y Z, sizes times",
    )

    @field_validator("edits")
    @classmethod
    def _sound(cls, value: tuple[Edit, ...]) -> tuple[Edit, ...]:
        for purpose, number, move, turn, times in value:
            if purpose not in PURPOSES or number < 0:
                raise ValueError(f"one of {', '.join(PURPOSES)} and a number of 0 or more")
            if not np.isfinite([*move, *turn]).all() or not all(0 < t < np.inf for t in times):
                raise ValueError("finite numbers, and sizes over 0")
        return value


def _apply(scene: Scene, settings: Shapes, resources: Content, job: Job) -> Outcome:
    kinds = {p: k for p in PURPOSES if (k := getattr(settings, p))}
    if not kinds:
        return Outcome(scene)
    bare = _without(scene, set(kinds))
    nodes, roots, said = list(bare.nodes), list(bare.roots), list[Remark]()
    for number, (purpose, kind) in enumerate(kinds.items()):
        part = job.part(number / len(kinds), (number + 1) / len(kinds))

        def tell(share: float, text: str, part: Job = part) -> None:
            job.check()
            part.progress(share, text)

        wanted = Wanted(
            purpose, kind, settings.by == "part" and kind != "joints", settings.corners, settings.hulls,
            settings.triangles, settings.out,
        )  # fmt: skip
        made, more = made_shapes(bare, wanted, tell)
        said += more
        if made:
            said.append(Remark(f"{purpose}: {many(len(made), 'shape')} ({kind})"))
        for k, (under, node) in enumerate(made):
            at = len(nodes)
            nodes.append(_edited(node, [e for e in settings.edits if e[:2] == (purpose, k)]))
            if under is None:
                roots.append(at)
            else:
                nodes[under] = replace(nodes[under], children=(*nodes[under].children, at))
    return Outcome(replace(bare, nodes=tuple(nodes), roots=tuple(roots)), tuple(said))


def _without(scene: Scene, purposes: set[str]) -> Scene:
    """The scene without shapes of these purposes: they are made anew."""
    gone = {n for n, s in shapes_of(scene) if s.purpose in purposes and len(scene.nodes[n].holds) == 1}
    gone = {n for n in gone if not scene.nodes[n].children and scene.nodes[n].mesh is None}
    if not gone:
        return scene
    keep = [n for n in range(len(scene.nodes)) if n not in gone]
    return with_nodes(scene, {old: new for new, old in enumerate(keep)})


def _edited(node: Node, edits: list[Edit]) -> Node:
    """The node moved, turned and its shape scaled by hand, one after another."""
    for _, _, move, turn, times in edits:
        held = node.holds[0]
        assert isinstance(held, CollisionShape)
        rotation = transform.Rotation.from_euler("XYZ", turn, degrees=True).as_quat()
        node = replace(
            node,
            translation=node.translation + np.array(move),
            rotation=multiply_quaternions(rotation, node.rotation),
            holds=(_sized(held, times),),
        )
    return node


def _sized(shape: CollisionShape, times: Three) -> CollisionShape:
    """Its sizes times three numbers along its own axes; a ball goes by the first, a capsule's radius by the first too."""
    x, y, z = times
    half = (shape.half[0] * x, shape.half[1] * y, shape.half[2] * z)
    points = None if shape.points is None else (shape.points * np.array(times)).astype(np.float32)
    return replace(shape, half=half, radius=shape.radius * x, points=points)


def _summary(s: Shapes) -> str:
    kinds = [k for p in PURPOSES if (k := getattr(s, p))]
    return kinds[0] if len(kinds) == 1 else many(len(kinds), "purpose") if kinds else "none"


register(
    Step(
        id="shapes",
        name="Shapes",
        desk="fittings",
        order=104,
        about="Simple bodies that stand in for the mesh: sphere, capsule, box, hull, several hulls, the mesh itself or simplified.",
        settings=Shapes,
        apply=_apply,
        summary=_summary,
        phase="form",
        placements=True,
    )
)
