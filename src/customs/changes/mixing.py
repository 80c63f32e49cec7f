"""Parts of another asset taken into this one: placed, bound to this one's skeleton, with their materials and textures."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from customs.changes.rebind import carried, evened
from customs.errors import StepError
from customs.geometry.closest import Surface
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_of_rows
from customs.later import Sparse, later
from customs.motion.posing.pose import joint_matrices, skin_matrices
from customs.motion.posing.posing import posing
from customs.motion.weights.table import influences_of, merged_columns, table_of
from customs.motion.weights.transfer import transfer
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Image, Material, Node, Primitive, Remark, Scene
from customs.scene.transforms import inverse
from customs.scene.tree import mesh_nodes, parents
from customs.words import many

sparse = later("scipy.sparse")
F64 = npt.NDArray[np.float64]
Bind = Literal["names", "surface", "rigid", "none"]
STEP = "from-goods"


@dataclass(frozen=True, eq=False)
class Bringing:
    """How parts come: `place` (4, 4) in the working frame, bound by the names of joints, from this one's surface within
    `near` metres, rigid on one `joint`, or not at all; `limit` influences a vertex, after `soften` rounds of
    evening weights out along the mesh.
    """

    place: F64
    bind: Bind
    joint: str = ""
    near: float = 0.05
    limit: int = 4
    soften: int = 0


def joint_place(scene: Scene, name: str) -> F64:
    """(4, 4) where a joint or node of that name rests. Raises StepError."""
    at = next((i for i, n in enumerate(scene.nodes) if n.name == name), None)
    if at is None:
        raise StepError(
            f"{scene.name} has no joint {name}", "the name of one of its joints", "Choose another joint."
        )
    return np.asarray(posing(scene, None).world(0.0)[at], np.float64)


def brought(scene: Scene, other: Scene, how: Bringing) -> tuple[Scene, tuple[Remark, ...]]:
    """The scene with the meshes of another. Raises StepError for a skeleton or joint that is not there."""
    skin = None if how.bind == "none" else _skin_for(scene, other, how)
    keys = _Keys(scene, other)
    world = posing(other, None).world(0.0)
    nodes, meshes, said = list(scene.nodes), list(scene.meshes), list[Remark]()
    materials, images = _materials(scene, other, keys)
    names = {n.name for n in scene.nodes}, {m.name for m in scene.meshes}
    for n in mesh_nodes(other):
        node = other.nodes[n]
        mesh = other.meshes[node.mesh or 0]
        tables, lost = _tables(scene, other, n, skin, how, world)
        prims = tuple(
            _carried(scene, other, n, world, p, table, skin, how, len(scene.materials))
            for p, table in zip(mesh.primitives, tables)
        )
        prims = tuple(replace(p, key=keys.of(p.key, n), made_from=(p.key, *p.made_from)) for p in prims)
        meshes.append(replace(mesh, key=keys.of(mesh.key, n), name=_free(mesh.name, names[1]), primitives=prims,
                              weights=node.weights if node.weights is not None else mesh.weights,
                              made_from=(mesh.key, *mesh.made_from)))  # fmt: skip
        nodes.append(Node(keys.of(node.key, n), _free(node.name, names[0]), mesh=len(meshes) - 1, skin=skin,
                          made_from=(node.key, *node.made_from)))  # fmt: skip
        if lost:
            said.append(
                Remark(f"{mesh.name}: {', '.join(sorted(lost))} went to the joint above it", meshes[-1].key)
            )
    new = range(len(scene.nodes), len(nodes))
    out = replace(
        scene, nodes=tuple(nodes), roots=(*scene.roots, *new), meshes=tuple(meshes),
        materials=(*scene.materials, *materials), images=(*scene.images, *images),
    )  # fmt: skip
    return out, (Remark(f"{many(len(new), 'mesh')} of {other.name} joined"), *said)


def _free(name: str, taken: set[str]) -> str:
    """A name nothing has yet: with the next number behind it."""
    out, number = name, 1
    while out in taken:
        number += 1
        out = f"{name} {number}"
    taken.add(out)
    return out


class _Keys:
    """Keys of what joins: of this asset, as any other step makes them, told apart by where they come from."""

    def __init__(self, scene: Scene, other: Scene) -> None:
        self.digest, self.path = scene.digest, f"{STEP}.{other.digest}"
        times = sum(self.path in n.key.path for n in scene.nodes)
        self.path += f".{times}" if times else ""

    def of(self, source: Key, node: int | None = None) -> Key:
        """The Key of what `source` became; a mesh may come once for each of several nodes."""
        return Key(
            self.digest, source.kind, source.ordinal, self.path if node is None else f"{self.path}.{node}"
        )


def _materials(scene: Scene, other: Scene, keys: _Keys) -> tuple[list[Material], list[Image]]:
    """Materials and images of another scene as further ones of this."""
    first = len(scene.images)
    names = {m.name for m in scene.materials}, {im.name for im in scene.images}
    images = [
        replace(im, key=keys.of(im.key), name=_free(im.name, names[1]), made_from=(im.key, *im.made_from))
        for im in other.images
    ]
    materials = [
        replace(
            m, key=keys.of(m.key), name=_free(m.name, names[0]), made_from=(m.key, *m.made_from),
            textures={role: replace(use, image=use.image + first) for role, use in m.textures.items()},
        )
        for m in other.materials
    ]  # fmt: skip
    return materials, images


def _skin_for(scene: Scene, other: Scene, how: Bringing) -> int:
    """The skin of this scene that knows the joint, or most joints of the other's."""
    if not scene.skins:
        raise StepError(
            f"{scene.name} has no skeleton",
            "an asset with a skin, or parts that are not bound",
            "Bind: not at all.",
        )
    wanted = (
        {how.joint} if how.bind == "rigid" else {other.nodes[j].name for s in other.skins for j in s.joints}
    )
    known = [sum(scene.nodes[j].name in wanted for j in s.joints) for s in scene.skins]
    if how.bind == "rigid" and not max(known):
        raise StepError(
            f"{scene.name} has no joint {how.joint}", "one of its joints", "Choose another joint."
        )
    return int(np.argmax(known))


def _tables(
    scene: Scene, other: Scene, n: int, skin: int | None, how: Bringing, world: Any
) -> tuple[list[Sparse | None], set[str]]:
    """(weights (V, J) of each primitive at node `n` by the joints of this scene's skin, joints nobody knows here)."""
    mesh = other.meshes[other.nodes[n].mesh or 0]
    if skin is None:
        return [None] * len(mesh.primitives), set()
    joints = [scene.nodes[j].name for j in scene.skins[skin].joints]
    if how.bind == "rigid":
        row = sparse.csr_matrix(([1.0], ([0], [joints.index(how.joint)])), shape=(1, len(joints)))
        return [row[np.zeros(len(p.positions), np.intp)] for p in mesh.primitives], set()
    theirs = other.nodes[n].skin
    if how.bind == "names" and theirs is not None:
        target, lost = _targets(other, theirs, joints)
        if (target < 0).all():
            raise StepError(
                f"no joint of {other.name} has a name that {scene.name} knows", "joints of the same names",
                "Bind from the surface, or rigid on a joint.",
            )  # fmt: skip
        count = len(other.skins[theirs].joints)
        made = [merged_columns(table_of(p, count), target, len(joints)) for p in mesh.primitives]
        return made, lost
    return _from_surface(scene, other, n, skin, how, world), set()


def _targets(other: Scene, skin: int, names: list[str]) -> tuple[npt.NDArray[np.intp], set[str]]:
    """(number here of each joint of another skin, by its name or that of the nearest above it; those not known by their
    own).
    """
    above, at = parents(other), {name.casefold(): k for k, name in reversed(list(enumerate(names)))}
    out, lost = np.full(len(other.skins[skin].joints), -1, np.intp), set[str]()
    for k, joint in enumerate(other.skins[skin].joints):
        n = joint
        while n >= 0 and other.nodes[n].name.casefold() not in at:
            n = above[n]
        out[k] = at[other.nodes[n].name.casefold()] if n >= 0 else -1
        if n != joint:
            lost.add(other.nodes[joint].name)
    # Joints above all that are known go with the first that is.
    out[out < 0] = out[out >= 0][0] if (out >= 0).any() else -1
    return out, lost


def _from_surface(scene: Scene, other: Scene, n: int, skin: int, how: Bringing, world: Any) -> list[Sparse]:
    surface, faces, weights = _surface(scene, skin)
    mesh, out = other.meshes[other.nodes[n].mesh or 0], []
    for p in mesh.primitives:
        points = _through(_blend(other, n, world, p, how.place), p)
        group = groups_of_rows(frozen(points))
        first = np.unique(group, return_index=True)[1]
        mine = group[triangles_of(p)]
        whole = (mine[:, 0] != mine[:, 1]) & (mine[:, 1] != mine[:, 2]) & (mine[:, 0] != mine[:, 2])
        found = transfer(points[first], mine[whole], surface, faces, weights, how.near)
        out.append(sparse.csr_matrix(found.table[group]))
    return out


def _surface(scene: Scene, skin: int) -> tuple[Surface, Any, F64]:
    """What is bound to a skin where it rests: its surface, faces and weights (V, J)."""
    world, joints = posing(scene, None).world(0.0), len(scene.skins[skin].joints)
    points, faces, tables, start = list[Any](), list[Any](), list[Any](), 0
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        for p in scene.meshes[node.mesh or 0].primitives if node.skin == skin else ():
            if p.joints is None or p.weights is None or not len(triangles_of(p)):
                continue
            points.append(_through(_blend(scene, n, world, p, np.eye(4)), p))
            faces.append(triangles_of(p).astype(np.int64) + start)
            tables.append(table_of(p, joints).toarray())
            start += len(p.positions)
    if not points:
        raise StepError(
            f"nothing of {scene.name} is bound to its skeleton", "a bound mesh", "Bind by names, or rigid."
        )
    every = np.concatenate(points)
    return Surface(every, np.concatenate(faces)), np.concatenate(faces), np.concatenate(tables)


def _blend(scene: Scene, n: int, world: Any, prim: Primitive, place: F64) -> F64:
    """(V, 3, 4) what brings each vertex to where it rests in the world, then through `place`."""
    skin = scene.nodes[n].skin
    if skin is not None and prim.joints is not None and prim.weights is not None:
        blend = skin_matrices(prim, joint_matrices(scene, skin, world))
    else:
        blend = np.broadcast_to(world[n][:3], (len(prim.positions), 3, 4))
    out = np.einsum("ij,vjk->vik", place[:3, :3], blend)
    out[:, :, 3] += place[:3, 3]
    return out


def _through(blend: F64, prim: Primitive) -> F64:
    return np.einsum("vij,vj->vi", blend[:, :, :3], prim.positions.astype(np.float64)) + blend[:, :, 3]


def _carried(
    scene: Scene, other: Scene, n: int, world: Any, prim: Primitive, table: Sparse | None, skin: int | None,
    how: Bringing, first: int,
) -> Primitive:  # fmt: skip
    """A primitive where it belongs: at rest it stands at its place, whatever this skin's joints do to it there."""
    blend = _blend(other, n, world, prim, how.place)
    bare = replace(prim, material=None if prim.material is None else prim.material + first, variants=())
    if table is None or skin is None:
        return replace(carried(bare, blend), joints=None, weights=None)
    joints, weights = influences_of(evened(prim, table, how.soften), how.limit)
    bound = replace(bare, joints=joints, weights=weights)
    mine = skin_matrices(bound, joint_matrices(scene, skin, posing(scene, None).world(0.0)))
    square = np.tile(np.eye(4), (len(mine), 1, 1))
    square[:, :3] = mine
    back = inverse(square)
    full = np.tile(np.eye(4), (len(blend), 1, 1))
    full[:, :3] = blend
    return carried(bound, (back @ full)[:, :3])
