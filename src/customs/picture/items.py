"""What a picture is made of: every primitive of a scene with what it is drawn by, nearest things first or
last as they need.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from customs.motion.posing.pose import joint_matrices, morph_weights
from customs.motion.posing.posing import posing
from customs.picture.layered import lets_through
from customs.picture.look import Shot, Veil
from customs.picture.rows import Group, groups
from customs.picture.upload import Store
from customs.scene.kept import kept
from customs.scene.key import Key
from customs.scene.model import Material, Primitive
from customs.scene.tree import mesh_nodes

F64 = npt.NDArray[np.float64]
IDENTITY = np.eye(4)


class Item(NamedTuple):
    """A primitive at a node, or at the places of a group; `model` is its world transform in metres, `joints`
    a texture of matrices.
    """

    prim: Primitive
    material: Material | None
    model: F64
    joints: Any
    weights: Any
    group: Group | None
    node: int

    @property
    def mirrored(self) -> bool:
        """True when what it is drawn by turns its faces over."""
        if self.group is not None:
            return self.group.mirrored
        return bool(np.linalg.det(self.model[:3, :3]) < 0) if self.joints is None else False

    @property
    def two_sided(self) -> bool:
        """True where both sides of its faces are seen."""
        return self.material is None or self.material.double_sided


class Items(NamedTuple):
    """What covers and what lets through, the farthest of that first; `textures` are to be released when all
    is drawn.
    """

    solid: list[Item]
    clear: list[Item]
    textures: list[Any]


FAINT = 0.22
"""How much of what lies behind a faint thing covers."""
NO_MATERIAL = Material(Key("drawn", "material", 0), "", base_colour=(0.6, 0.6, 0.58, 1.0), metallic=0.0)


def faded(material: Material | None) -> Material:
    """As a faint thing is drawn: all of its colour, little of its cover."""
    own = material if material is not None else NO_MATERIAL

    def made() -> Material:
        r, g, b, _ = own.base_colour
        x, y, z, _ = own.diffuse
        return replace(
            own, alpha_mode="blend", double_sided=True, base_colour=(r, g, b, FAINT), diffuse=(x, y, z, FAINT)
        )

    return kept("faded", own, made)


def veiled(
    count: int, rows: npt.NDArray[np.bool_] | None, veil: Veil | None
) -> list[tuple[npt.NDArray[np.bool_] | None, bool]]:
    """(rows (N,) or all, whether they are faint) of what is drawn."""
    if veil is None or len(veil.hidden_rows) != count:
        return [(rows, False)]
    shown = ~veil.hidden_rows if rows is None else rows & ~veil.hidden_rows
    return [(shown & ~veil.faint_rows, False), (shown & veil.faint_rows, True)]


def items(shot: Shot, store: Store, rows: npt.NDArray[np.bool_] | None = None) -> Items:
    """Everything a shot shows; of its placements those `rows` (N,), or all."""
    scene, clip = shot.scene, None if shot.clip is None else shot.scene.clips[shot.clip]
    world = posing(scene, clip).world(shot.seconds)
    scale = np.diag([shot.unit] * 3 + [1.0])
    skins = {
        i: store.joints(scale @ joint_matrices(scene, i, world))
        for i in {scene.nodes[n].skin for n in mesh_nodes(scene)}
        if i is not None
    }
    solid: list[Item] = []
    clear: list[tuple[float, Item]] = []

    def put(far: float, item: Item) -> None:
        blended = (
            item.material is not None
            and (item.material.alpha_mode == "blend" or lets_through(item.material))
            and shot.look.shading == "surface"
        )
        if blended:
            clear.append((far, item))
        else:
            solid.append(item)

    def material(prim: Primitive) -> Material | None:
        return scene.materials[prim.material] if prim.material is not None else None

    eye, veil = np.asarray(shot.orbit.eye), shot.veil
    for which, faint in veiled(len(scene.placements), rows, veil):
        for group in groups(scene, world, shot.unit, eye, which):
            mesh = scene.meshes[group.mesh]
            for p in mesh.primitives:
                m = faded(material(p)) if faint else material(p)
                put(group.far, Item(p, m, IDENTITY, None, mesh.weights, group, -1))
    for n in mesh_nodes(scene):
        if veil is not None and n in veil.hidden_nodes:
            continue
        node, model = scene.nodes[n], scale @ world[n]
        weights, far = (
            morph_weights(scene, n, clip, shot.seconds),
            float(np.linalg.norm(model[:3, 3] - shot.orbit.eye)),
        )
        joints = skins.get(node.skin if node.skin is not None else -1)
        faint = veil is not None and n in veil.faint_nodes
        for p in scene.meshes[node.mesh or 0].primitives:
            put(far, Item(p, faded(material(p)) if faint else material(p), model, joints, weights, None, n))
    return Items(solid, [item for _, item in sorted(clear, key=lambda pair: -pair[0])], list(skins.values()))
