"""Parts of another asset taken into this one: placed, bound to this one's skeleton, with their materials and textures."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
import numpy.typing as npt

from customs.changes.bound_surface import Bound, bound_surface
from customs.changes.naming import free_name
from customs.changes.rebind import carried, evened
from customs.errors import StepError
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
    joining, keys = _Joining(scene, other, how), _Keys(scene, other)
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    materials, images = _materials(scene, other, keys)
    names = {n.name for n in scene.nodes}, {m.name for m in scene.meshes}
    for n in mesh_nodes(other):
        node = other.nodes[n]
        mesh = other.meshes[node.mesh or 0]
        prims = tuple(
            replace(joining.primitive(n, p), key=keys.of(p.key, n), made_from=(p.key, *p.made_from))
            for p in mesh.primitives
        )
        meshes.append(replace(mesh, key=keys.of(mesh.key, n), name=free_name(mesh.name, names[1]), primitives=prims,
                              weights=node.weights if node.weights is not None else mesh.weights,
                              made_from=(mesh.key, *mesh.made_from)))  # fmt: skip
        nodes.append(Node(keys.of(node.key, n), free_name(node.name, names[0]), mesh=len(meshes) - 1, skin=joining.skin,
                          made_from=(node.key, *node.made_from)))  # fmt: skip
    new = range(len(scene.nodes), len(nodes))
    out = replace(
        scene, nodes=tuple(nodes), roots=(*scene.roots, *new), meshes=tuple(meshes),
        materials=(*scene.materials, *materials), images=(*scene.images, *images),
    )  # fmt: skip
    return out, (Remark(f"{many(len(new), 'mesh')} of {other.name} joined"), *joining.remarks())


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
        replace(im, key=keys.of(im.key), name=free_name(im.name, names[1]), made_from=(im.key, *im.made_from))
        for im in other.images
    ]
    materials = [
        replace(
            m, key=keys.of(m.key), name=free_name(m.name, names[0]), made_from=(m.key, *m.made_from),
            textures={role: replace(use, image=use.image + first) for role, use in m.textures.items()},
        )
        for m in other.materials
    ]  # fmt: skip
    return materials, images


class _Joining:
    """What every primitive that joins needs: found once, and what has to be said about it."""

    def __init__(self, scene: Scene, other: Scene, how: Bringing) -> None:
        self.scene, self.other, self.how = scene, other, how
        self.skin = None if how.bind == "none" else _skin_for(scene, other, how)
        self.joints = (
            [] if self.skin is None else [scene.nodes[j].name for j in scene.skins[self.skin].joints]
        )
        self.theirs = posing(other, None).world(0.0)
        self.rest = (
            None if self.skin is None else joint_matrices(scene, self.skin, posing(scene, None).world(0.0))
        )
        self._targets: dict[int, npt.NDArray[np.intp]] = {}
        self._lost, self._nameless = set[str](), 0

    def primitive(self, n: int, prim: Primitive) -> Primitive:
        """A primitive at node `n` of the other where it belongs: at rest it stands at its place, whatever this skin's
        joints do to it there.
        """
        blend = self._blend(n, prim)
        material = None if prim.material is None else prim.material + len(self.scene.materials)
        bare = replace(prim, material=material, variants=())
        if self.rest is None:
            return replace(carried(bare, blend), joints=None, weights=None)
        table = evened(prim, self._table(n, prim, blend), self.how.soften)
        joints, weights = influences_of(table, self.how.limit)
        bound = replace(bare, joints=joints, weights=weights)
        back = inverse(_square(skin_matrices(bound, self.rest)))
        return carried(bound, (back @ _square(blend))[:, :3])

    def remarks(self) -> tuple[Remark, ...]:
        """What is not as a person asked for."""
        out = [f"{', '.join(sorted(self._lost))} went to the joint above it"] if self._lost else []
        if self._nameless:
            out.append(f"{many(self._nameless, 'part')} without joints of their own bound from the surface")
        return tuple(Remark(f"{self.other.name}: {text}") for text in out)

    def _blend(self, n: int, prim: Primitive) -> F64:
        """(V, 3, 4) what brings each vertex to where it rests in the world, then to its place."""
        skin = self.other.nodes[n].skin
        if skin is not None and prim.joints is not None and prim.weights is not None:
            blend = skin_matrices(prim, joint_matrices(self.other, skin, self.theirs))
        else:
            blend = np.broadcast_to(self.theirs[n][:3], (len(prim.positions), 3, 4))
        out = np.einsum("ij,vjk->vik", self.how.place[:3, :3], blend)
        out[:, :, 3] += self.how.place[:3, 3]
        return out

    def _table(self, n: int, prim: Primitive, blend: F64) -> Sparse:
        """(V, J) weights by the joints of this scene's skin."""
        skin = self.other.nodes[n].skin
        if self.how.bind == "rigid":
            row = sparse.csr_matrix(
                ([1.0], ([0], [self.joints.index(self.how.joint)])), shape=(1, len(self.joints))
            )
            return row[np.zeros(len(prim.positions), np.intp)]
        if self.how.bind == "names" and skin is not None and prim.joints is not None:
            table = table_of(prim, len(self.other.skins[skin].joints))
            return merged_columns(table, self._target(skin), len(self.joints))
        self._nameless += self.how.bind == "names"
        return self._from_surface(prim, blend)

    def _target(self, skin: int) -> npt.NDArray[np.intp]:
        """(number here of each joint of another skin), by its name or that of the nearest above it."""
        if skin not in self._targets:
            target, lost = _targets(self.other, skin, self.joints)
            if (target < 0).all():
                raise StepError(
                    f"no joint of {self.other.name} has a name that {self.scene.name} knows",
                    "joints of the same names",
                    "Bind from the surface, or rigid on a joint.",
                )
            self._targets[skin] = target
            self._lost |= lost
        return self._targets[skin]

    def _from_surface(self, prim: Primitive, blend: F64) -> Sparse:
        points = np.einsum("vij,vj->vi", blend[:, :, :3], prim.positions.astype(np.float64)) + blend[:, :, 3]
        group = groups_of_rows(frozen(points))
        first = np.unique(group, return_index=True)[1]
        mine = group[triangles_of(prim)]
        whole = (mine[:, 0] != mine[:, 1]) & (mine[:, 1] != mine[:, 2]) & (mine[:, 0] != mine[:, 2])
        found = transfer(points[first], mine[whole], *self._bound, self.how.near)
        return sparse.csr_matrix(found.table[group])

    @cached_property
    def _bound(self) -> Bound:
        found = bound_surface(self.scene, self.joints)
        if found is None:
            raise StepError(
                f"nothing of {self.scene.name} is bound to its skeleton",
                "a bound mesh",
                "Bind by names, or rigid.",
            )
        return found


def _square(blend: F64) -> F64:
    """Matrices (V, 3, 4) as (V, 4, 4)."""
    out = np.tile(np.eye(4), (len(blend), 1, 1))
    out[:, :3] = blend
    return out


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
