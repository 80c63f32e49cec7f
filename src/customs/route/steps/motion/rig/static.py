"""Static: skin and clips go; the mesh stays as it stands at rest."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from customs.job import Job
from customs.motion.posing.pose import joint_matrices, posed_positions, skin_matrices
from customs.motion.posing.still import still_normals, still_target
from customs.motion.skeleton.bones import without_bones
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Mesh, Node, Primitive, Remark, Scene
from customs.scene.old_keys import old_key
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.scene.tree import mesh_nodes, world_matrices
from customs.words import many


class Static(Settings):
    """What goes."""

    drop: Literal["skins-and-clips", "clips"] = Field(default="skins-and-clips", description="what goes")


def _still(scene: Scene, node: int, mesh: Mesh, world: npt.NDArray[np.float64]) -> Mesh:
    """The mesh at `node` as its skin holds it at rest, in world space."""

    def change(prim: Primitive) -> Primitive:
        if prim.joints is None or prim.weights is None:
            return prim
        skin = scene.nodes[node].skin
        assert skin is not None
        blend = skin_matrices(prim, joint_matrices(scene, skin, world))[:, :, :3]
        points = frozen(posed_positions(scene, node, prim, world))
        normals, tangents = still_normals(prim, blend)
        targets = tuple(still_target(t, blend) for t in prim.targets)
        return replace(
            prim,
            positions=points,
            normals=normals,
            tangents=tangents,
            targets=targets,
            joints=None,
            weights=None,
        )

    return replace(mesh, primitives=tuple(change(p) for p in mesh.primitives))


def _apply(scene: Scene, settings: Static, resources: Content, job: Job) -> Outcome:
    remark = Remark(f"{many(len(scene.skins), 'skin')} and {many(len(scene.clips), 'clip')} dropped")
    if settings.drop == "clips":
        return Outcome(replace(scene, clips=()), (Remark(f"{many(len(scene.clips), 'clip')} dropped"),))
    world = world_matrices(scene)
    nodes, meshes, roots = list(scene.nodes), list(scene.meshes), list(scene.roots)
    for n in mesh_nodes(scene):
        job.check()
        node = nodes[n]
        if node.skin is None or node.mesh is None:
            continue
        meshes.append(
            replace(
                _still(scene, n, scene.meshes[node.mesh], world), made_from=(scene.meshes[node.mesh].key,)
            )
        )
        nodes[n] = replace(node, mesh=None, skin=None)
        key = made_key(node.key, "static", old=old_key(scene.digest, "node", "static", n))
        nodes.append(Node(key, node.name, mesh=len(meshes) - 1, weights=node.weights, made_from=(node.key,)))
        roots.append(len(nodes) - 1)
    bare = replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), roots=tuple(roots), skins=(), clips=())
    return Outcome(prune(without_bones(bare, scene), near=True), (remark,))


register(
    Step(
        id="static",
        name="Static",
        desk="motion",
        order=20,
        about="Drops skin and clips; the mesh stays as it stands at rest.",
        settings=Static,
        apply=_apply,
        summary=lambda s: "no skin, no clips" if s.drop != "clips" else "no clips",
    )
)
