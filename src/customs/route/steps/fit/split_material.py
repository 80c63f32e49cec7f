"""Split by material: every material gets a mesh of its own."""

from __future__ import annotations

from dataclasses import replace

from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.key import Key
from customs.scene.model import Mesh, Node, Primitive, Remark, Scene
from customs.scene.settings import Targeted
from customs.scene.tree import mesh_nodes
from customs.words import many


class SplitMaterial(Targeted):
    """All meshes, or those named."""


MADE = 2_000_000
"""Keys of meshes and nodes made here start at this ordinal."""


def _apply(scene: Scene, settings: SplitMaterial, resources: Content, job: Job) -> Outcome:
    meshes, nodes = list(scene.meshes), list(scene.nodes)
    parts: dict[int, list[int]] = {}
    for i, mesh in enumerate(scene.meshes):
        groups: dict[int | None, list[Primitive]] = {}
        for p in mesh.primitives:
            groups.setdefault(p.material, []).append(p)
        if len(groups) < 2 or not settings.takes(mesh.key, mesh.name, mesh.made_from):
            continue
        parts[i] = [i]
        for k, (material, prims) in enumerate(groups.items()):
            name = scene.materials[material].name if material is not None else "no material"
            part = replace(mesh, name=f"{mesh.name} {name}", primitives=tuple(prims))
            if k == 0:
                meshes[i] = part
                continue
            meshes.append(replace(part, key=Key(scene.digest, "mesh", MADE + len(meshes)), made_from=(mesh.key,)))
            parts[i].append(len(meshes) - 1)
    for n in mesh_nodes(scene):
        old = nodes[n]
        extra = parts.get(old.mesh if old.mesh is not None else -1, [])[1:]
        for m in extra:
            nodes[n] = replace(nodes[n], children=(*nodes[n].children, len(nodes)))
            nodes.append(_child(old, m, meshes[m], scene.digest, len(nodes)))
    if not parts:
        return Outcome(scene)
    out = replace(scene, meshes=tuple(meshes), nodes=tuple(nodes))
    return Outcome(out, (Remark(f"{len(scene.meshes)} → {many(len(meshes), 'mesh')}"),))


def _child(old: Node, mesh_index: int, mesh: Mesh, digest: str, at: int) -> Node:
    return Node(key=Key(digest, "node", MADE + at), name=mesh.name, mesh=mesh_index, skin=old.skin, made_from=(old.key,))


register(
    Step(
        id="split-material",
        name="Split",
        desk="fit",
        order=46,
        about="Gives every material a mesh and node of its own.",
        settings=SplitMaterial,
        apply=_apply,
        summary=lambda s: "by material",
    )
)
