"""Numbers: the kit's version number, and order numbers of meshes, written into the file."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

from pydantic import Field

from customs.changes.own_textures import with_own_textures
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Node, Remark, Scene
from customs.scene.numbers import ORDER, VERSION
from customs.scene.settings import Settings
from customs.scene.tree import mesh_nodes
from customs.words import many


class Numbers(Settings):
    """Which numbers."""

    adds: ClassVar = ("first",)
    stays: ClassVar = ("order",)
    version_number: int = Field(
        default=0, ge=0, le=1_000_000, description="version the kit asks for; 0 leaves it alone"
    )
    order: bool = Field(default=True, description="number meshes 1, 2, 3, … in the order of the tree")
    first: tuple[str, ...] = Field(
        default=(), description="names of mesh nodes that come first, in this order"
    )
    own_textures: bool = Field(
        default=False, description="the number picks the texture too: each mesh gets textures of its own"
    )


def _apply(scene: Scene, settings: Numbers, resources: Content, job: Job) -> Outcome:
    wanted: dict[int, dict[str, str]] = {}
    if settings.version_number and scene.roots:
        wanted[scene.roots[0]] = {VERSION: str(settings.version_number)}
    shown = mesh_nodes(scene)
    if settings.order:
        rank = {name: k for k, name in enumerate(settings.first)}
        shown = sorted(shown, key=lambda n: rank.get(scene.nodes[n].name, len(rank)))
        for number, n in enumerate(shown, 1):
            wanted[n] = {**wanted.get(n, {}), ORDER: str(number)}

    def change(i: int, node: Node) -> Node:
        new = {**node.extras, **wanted.get(i, {})}
        return node if new == dict(node.extras) else replace(node, extras=new)

    nodes, remarks, out = tuple(change(i, n) for i, n in enumerate(scene.nodes)), list[Remark](), scene
    if count := sum(a is not b for a, b in zip(nodes, scene.nodes)):
        out = replace(scene, nodes=nodes)
        remarks.append(Remark(f"{many(count, 'node')} numbered"))
    if settings.own_textures:
        out, copies = with_own_textures(out, shown)
        remarks += [Remark(f"{many(copies, 'texture')} copied: each mesh keeps its own")] if copies else []
    return Outcome(out, tuple(remarks))


register(
    Step(
        id="numbers",
        name="Numbers",
        desk="motion",
        order=101,
        phase="form",
        about="Writes the kit's version number and the order numbers of meshes.",
        settings=Numbers,
        apply=_apply,
        summary=lambda s: (f"version {s.version_number}" if s.version_number else "order")[:18],
    )
)
