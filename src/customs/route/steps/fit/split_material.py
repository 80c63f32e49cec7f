"""Split by material: every material gets a mesh of its own."""

from __future__ import annotations

from dataclasses import replace

from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.key import made_key
from customs.scene.model import Node, Primitive, Remark, Scene
from customs.scene.old_keys import old_key
from customs.scene.settings import Targeted
from customs.scene.tree import mesh_nodes
from customs.words import many


class SplitMaterial(Targeted):
    """All meshes, or those named."""


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
            key = made_key(
                mesh.key, "split-material", k, old_key(scene.digest, "mesh", "split-material", len(meshes))
            )
            meshes.append(replace(part, key=key, made_from=(mesh.key,)))
            parts[i].append(len(meshes) - 1)
    for n in mesh_nodes(scene):
        old = nodes[n]
        extra = parts.get(old.mesh if old.mesh is not None else -1, [])[1:]
        for k, m in enumerate(extra, 1):
            nodes[n] = replace(nodes[n], children=(*nodes[n].children, len(nodes)))
            key = made_key(
                old.key, "split-material", k, old_key(scene.digest, "node", "split-material", len(nodes))
            )
            nodes.append(Node(key, meshes[m].name, mesh=m, skin=old.skin, made_from=(old.key,)))
    if not parts:
        return Outcome(scene)
    out = replace(scene, meshes=tuple(meshes), nodes=tuple(nodes))
    return Outcome(out, (Remark(f"{len(scene.meshes)} → {many(len(meshes), 'mesh')}"),))


register(
    Step(
        id="split-material",
        name="Split",
        desk="fit",
        order=46,
        about="Gives every material a mesh and node of its own.",
        settings=SplitMaterial,
        targets="meshes",
        apply=_apply,
        summary=lambda s: "by material",
    )
)
