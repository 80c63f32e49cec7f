"""What a model file of a format tells of a scene: what the format has no place for is not in its figures and
names.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.formats.registry import Format
from customs.geometry.triangles import triangles_of
from customs.scene.arrays import frozen
from customs.scene.folding import unfolded
from customs.scene.key import Key
from customs.scene.model import Mesh, Node, Primitive, Scene
from customs.scene.prune import prune
from customs.scene.tree import mesh_nodes


def told_by_model(scene: Scene, entry: Format, stem: str) -> Scene:
    """The scene as a file called `stem` tells it: textures in roles the format knows, materials and tree
    where it has them.

    Only what is counted and named is meant to hold: places are not moved.
    """
    roles = entry.texture_roles
    materials = tuple(
        replace(m, textures={r: u for r, u in m.textures.items() if r in roles}) for m in scene.materials
    )
    out = prune(replace(scene, materials=materials))
    if "materials" not in entry.carries:
        meshes = tuple(
            replace(m, primitives=tuple(replace(p, material=None) for p in m.primitives)) for m in out.meshes
        )
        out = prune(replace(out, meshes=meshes, materials=(), images=(), variants=()))
    return out if "hierarchy" in entry.carries else _one_mesh(out, entry, stem)


def _one_mesh(scene: Scene, entry: Format, stem: str) -> Scene:
    """Everything in one mesh on one node; corner by corner where the format keeps no list of vertices."""
    scene = unfolded(scene)
    parts = [p for n in mesh_nodes(scene) for p in scene.meshes[scene.nodes[n].mesh or 0].primitives]
    if not entry.carries:
        parts = [_corners(p) for p in parts]
    mesh = Mesh(Key(scene.digest, "mesh", 0), stem, tuple(parts))
    return replace(
        scene,
        nodes=(Node(Key(scene.digest, "node", 0), stem, mesh=0),),
        roots=(0,),
        meshes=(mesh,),
        skins=(),
        clips=(),
    )


def _corners(prim: Primitive) -> Primitive:
    points = prim.positions[triangles_of(prim).reshape(-1)]
    return Primitive(prim.key, frozen(points), indices=frozen(np.arange(len(points)), np.uint32))


def names_of(scene: Scene) -> dict[str, list[str]]:
    """Names of all that is delivered, by kind, in order."""
    kinds = ("nodes", "meshes", "materials", "images", "clips")
    out = {k: [item.name for item in getattr(scene, k)] for k in kinds}
    return {**out, "nodes": [*out["nodes"], *scene.placements.names]}
