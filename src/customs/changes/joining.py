"""Joining pieces into one mesh."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from customs.changes.emptying import empties, rigged_nodes, without
from customs.changes.moving import moved_primitive
from customs.changes.primitives import as_triangles
from customs.geometry.normals import smooth_normals
from customs.geometry.triangles import triangles_of
from customs.motion.posing.pose import joint_matrices
from customs.scene.arrays import frozen
from customs.scene.key import Key, made_key
from customs.scene.model import Mesh, Node, Primitive, Remark, Scene, Skin
from customs.scene.old_keys import FIRST, old_key
from customs.scene.prune import prune
from customs.scene.transforms import inverse
from customs.scene.tree import animated_nodes, mesh_nodes, parents, walk, world_matrices

F64 = npt.NDArray[np.float64]


@dataclass
class _Union:
    """One skin made of all skins: a joint appears once per distinct inverse bind matrix."""

    joints: list[int]
    inverse: list[F64]
    known: dict[tuple[int, bytes], int]

    def add(self, joint: int, inverse: F64) -> int:
        """Number of a joint with that inverse bind matrix in the union."""
        key = (joint, np.round(inverse, 9).tobytes())
        if key not in self.known:
            same = next((i for i, j in enumerate(self.joints) if j == joint), None)
            if same is not None and np.abs(self.inverse[same] - inverse).max() < 1e-6:
                return same
            self.known[key] = len(self.joints)
            self.joints.append(joint)
            self.inverse.append(inverse)
        return self.known[key]


def join_meshes(scene: Scene) -> tuple[Scene, tuple[Remark, ...]]:
    """One mesh at one node under the root, and remarks on pieces that could not be joined."""
    pieces, left = _joinable(scene)
    remarks = tuple(
        Remark(
            "moves or stands apart from what it would be joined to, or morphs; not joined", scene.nodes[n].key
        )
        for n in left
    )
    if len(pieces) < 2 and (not pieces or len(scene.meshes[scene.nodes[pieces[0]].mesh or 0].primitives) < 2):
        return scene, remarks
    world = world_matrices(scene)
    union = _Union([], [], {})
    skinned = any(scene.nodes[n].skin is not None for n in pieces)
    parts: list[Primitive] = []
    for n in pieces:
        for p in scene.meshes[scene.nodes[n].mesh or 0].primitives:
            parts.append(_bound(scene, n, p, world, union) if skinned else moved_primitive(p, world[n]))
    merged = tuple(merge(group) for group in _by_material(parts))
    mesh = Mesh(
        key=made_key(
            scene.meshes[scene.nodes[pieces[0]].mesh or 0].key,
            "join",
            old=old_key(scene.digest, "mesh", "join"),
        ),
        name=scene.name,
        primitives=merged,
        made_from=tuple(scene.meshes[scene.nodes[n].mesh or 0].key for n in pieces),
    )
    skins = scene.skins
    if skinned:
        skin = Skin(
            _skin_key(scene, pieces),
            scene.name,
            tuple(union.joints),
            frozen(np.stack(union.inverse), np.float64),
        )
        skins = (*skins, skin)
    node = Node(
        key=made_key(scene.nodes[pieces[0]].key, "join", old=old_key(scene.digest, "node", "join")),
        name=scene.name,
        mesh=len(scene.meshes),
        skin=len(skins) - 1 if skinned else None,
        made_from=tuple(scene.nodes[n].key for n in pieces),
    )
    gone = set(pieces)
    nodes = tuple(replace(x, mesh=None, skin=None) if i in gone else x for i, x in enumerate(scene.nodes))
    out = replace(
        scene,
        nodes=(*nodes, node),
        roots=(*scene.roots, len(nodes)),
        meshes=(*scene.meshes, mesh),
        skins=skins,
    )
    wanted = empties_before(scene)
    bare = [e for e in empties(out) if e in gone or e not in wanted]
    return prune(without(out, [e for e in bare if e < len(nodes)]), near=True), remarks


def _skin_key(scene: Scene, pieces: list[int]) -> Key:
    first = next(scene.skins[k].key for n in pieces if (k := scene.nodes[n].skin) is not None)
    return made_key(first, "join", old=old_key(scene.digest, "skin", "join"))


def empties_before(scene: Scene) -> set[int]:
    """Nodes that held nothing before the join, and led to no mesh: a person may want them."""
    leads: set[int] = set()
    for n, parent, _ in reversed(list(walk(scene))):
        if parent >= 0 and (n in leads or scene.nodes[n].mesh is not None):
            leads.add(parent)
    return set(empties(scene)) - leads


def _joinable(scene: Scene) -> tuple[list[int], list[int]]:
    """Mesh nodes that can be joined, and those that move by themselves or have morph targets.

    A piece that stands still beside a skeleton can only go along where something of that skeleton stands
    still too.
    """
    rigged = rigged_nodes(scene)
    any_skin = any(scene.nodes[n].skin is not None for n in mesh_nodes(scene))
    stuck = any_skin and _still_bone(scene) is None
    good: list[int] = []
    left: list[int] = []
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        morphs = any(p.targets for p in scene.meshes[node.mesh or 0].primitives)
        hangs = any_skin and _joint_above(scene, n) is not None
        moving = node.skin is None and not hangs and (n in rigged or stuck)
        (left if morphs or moving else good).append(n)
    return good, left


def _joint_above(scene: Scene, node: int) -> tuple[int, int] | None:
    """(skin, place in its joints) of the nearest joint at or above `node`."""
    above = parents(scene)
    at = node
    while at >= 0:
        for s, skin in enumerate(scene.skins):
            if at in skin.joints:
                return s, skin.joints.index(at)
        at = above[at]
    return None


def _still_bone(scene: Scene) -> int | None:
    """A joint, or else a node above joints, that no clip moves: what stands still may be bound to it."""
    above, moving = parents(scene), animated_nodes(scene)

    def way_up(n: int) -> list[int]:
        out = [n]
        while above[out[-1]] >= 0:
            out.append(above[out[-1]])
        return out

    used = [
        scene.skins[s] for s in dict.fromkeys(scene.nodes[n].skin for n in mesh_nodes(scene)) if s is not None
    ]
    ways = [way_up(j) for skin in used for j in skin.joints]
    candidates = [*(w[0] for w in ways), *(n for w in ways for n in w)]
    return next((n for n in candidates if not moving & set(way_up(n))), None)


def _bound(scene: Scene, n: int, prim: Primitive, world: F64, union: _Union) -> Primitive:
    """A piece bound to the union of skins: its own joints renumbered, or all of it to the joint it hangs
    from.
    """
    node = scene.nodes[n]
    if node.skin is not None and prim.joints is not None:
        skin = scene.skins[node.skin]
        table = np.array([union.add(j, b) for j, b in zip(skin.joints, skin.inverse_bind)], dtype=np.uint16)
        return replace(prim, joints=frozen(table[prim.joints], np.uint16))
    found = _joint_above(scene, n)
    if found is not None:
        skin = scene.skins[found[0]]
        number = union.add(skin.joints[found[1]], skin.inverse_bind[found[1]])
        back = inverse(joint_matrices(scene, found[0], world)[found[1]])
        placed = moved_primitive(prim, back @ world[n])
    else:
        still = _still_bone(scene)
        assert still is not None, "such a piece is not joined"
        number = union.add(still, inverse(world[still]).astype(np.float64))
        placed = moved_primitive(prim, world[n])
    count = len(prim.positions)
    joints, weights = np.zeros((count, 4), np.uint16), np.zeros((count, 4), np.float32)
    joints[:, 0], weights[:, 0] = number, 1
    return replace(placed, joints=frozen(joints, np.uint16), weights=frozen(weights))


def _by_material(parts: list[Primitive]) -> list[list[Primitive]]:
    groups: dict[tuple[object, ...], list[Primitive]] = {}
    for p in parts:
        p = as_triangles(p)
        groups.setdefault((p.material, p.mode, p.variants), []).append(p)
    return list(groups.values())


def merge(parts: list[Primitive]) -> Primitive:
    """Primitives of one material and mode as one; what some lack is filled in, tangents go unless all have
    them.
    """
    first = parts[0]
    if len(parts) == 1:
        return first
    counts = np.array([len(p.positions) for p in parts])
    starts = np.concatenate([[0], np.cumsum(counts[:-1])])
    flats = [
        p.indices if p.indices is not None else np.arange(len(p.positions), dtype=np.uint32) for p in parts
    ]
    sets, colours = max(len(p.texcoords) for p in parts), max(len(p.colours) for p in parts)
    normals = [_normals(p) for p in parts] if any(p.normals is not None for p in parts) else None
    faces = [len(f) // 3 for f in flats]
    ordinals = [np.full(f, p.key.ordinal, np.uint32) for f, p in zip(faces, parts)]
    width = max((p.joints.shape[1] for p in parts if p.joints is not None), default=0)
    return replace(
        first,
        positions=frozen(np.concatenate([p.positions for p in parts])),
        indices=frozen(np.concatenate([f + np.uint32(s) for f, s in zip(flats, starts)]), np.uint32),
        normals=None if normals is None else frozen(np.concatenate(normals)),
        tangents=frozen(np.concatenate([p.tangents for p in parts]))
        if all(p.tangents is not None for p in parts)
        else None,
        texcoords=tuple(
            frozen(np.concatenate([_or(p.texcoords, i, p, 2, 0) for p in parts])) for i in range(sets)
        ),
        colours=tuple(
            frozen(np.concatenate([_or(p.colours, i, p, 4, 1) for p in parts])) for i in range(colours)
        ),
        joints=frozen(np.concatenate([_wide(p.joints, width) for p in parts]), np.uint16) if width else None,
        weights=frozen(np.concatenate([_wide(p.weights, width) for p in parts])) if width else None,
        custom={},
        source_primitive=frozen(np.concatenate(ordinals), np.uint32),
        source_face=frozen(np.concatenate([np.arange(f, dtype=np.uint32) for f in faces]), np.uint32),
        made_from=tuple(p.key for p in parts),
        key=made_key(
            first.key, "join", old=replace(first.key.was, ordinal=FIRST["join"] + first.key.was.ordinal)
        ),
    )


def _normals(prim: Primitive) -> npt.NDArray[np.float32]:
    return prim.normals if prim.normals is not None else smooth_normals(prim.positions, triangles_of(prim))


def _or(
    sets: tuple[npt.NDArray[np.float32], ...], i: int, prim: Primitive, width: int, fill: float
) -> npt.NDArray[np.float32]:
    return sets[i] if i < len(sets) else np.full((len(prim.positions), width), fill, np.float32)


def _wide(values: npt.NDArray[np.generic] | None, width: int) -> npt.NDArray[np.generic]:
    assert values is not None
    return np.pad(values, ((0, 0), (0, width - values.shape[1])))
