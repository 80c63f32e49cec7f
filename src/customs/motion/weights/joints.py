"""Joints taken out of skins: what they moved goes with the joint above."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

import numpy as np

from customs.motion.skeleton.skeleton import Skeleton, skeleton_of
from customs.motion.weights.table import influences_of, merged_columns, table_of
from customs.scene.held import holds_nothing
from customs.scene.model import Mesh, Primitive, Scene, Skin
from customs.scene.prune import prune_nodes
from customs.scene.transforms import decompose_all, inverse
from customs.scene.tree import mesh_nodes, parents, world_matrices


def leaf_first(skeleton: Skeleton, keep: Collection[int] = ()) -> list[int]:
    """Joints in the order they would be merged: ends of chains first, short bones before long ones; never
    roots or `keep`.
    """
    left = [len(c) for c in skeleton.children]
    length = [
        float(np.linalg.norm(skeleton.places[k] - skeleton.places[u]))
        if (u := skeleton.parent[k]) >= 0
        else np.inf
        for k in range(skeleton.count)
    ]
    ends = {k for k in range(skeleton.count) if not left[k]}
    out: list[int] = []
    while ends:
        k = min(ends, key=lambda e: (length[e], e))
        ends.discard(k)
        up = int(skeleton.parent[k])
        if up < 0 or k in keep:
            continue
        out.append(k)
        left[up] -= 1
        if not left[up]:
            ends.add(up)
    return out


def merged(scene: Scene, gone: Collection[int]) -> Scene:
    """The scene with joint nodes `gone` out of every skin and tree; their weights go to the nearest joint
    above that stays.

    Nodes that hold something else stay in the tree as plain nodes. Clips lose the channels of nodes that go.
    """
    s = skeleton_of(scene)
    at = {n: k for k, n in enumerate(s.nodes)}
    out_of = {n for n in gone if n in at}

    def heir(n: int) -> int:
        k = at[n]
        while k >= 0 and s.nodes[k] in out_of:
            k = int(s.parent[k])
        return s.nodes[k] if k >= 0 else -1

    skins, targets = [], []
    for skin in scene.skins:
        heirs = [heir(j) for j in skin.joints]
        joints = [j for j in skin.joints if j not in out_of]
        extra = [h for h in dict.fromkeys(heirs) if h >= 0 and h not in joints]
        binds = [skin.inverse_bind[skin.joints.index(j)] for j in joints]
        # A skin that did not know the heir takes it up where it rests.
        binds += [inverse(s.rest[at[h]]) for h in extra]
        joints += extra
        targets.append(np.array([joints.index(h) if h >= 0 else -1 for h in heirs], dtype=np.intp))
        skins.append(
            replace(skin, joints=tuple(joints), inverse_bind=np.array(binds).reshape(-1, 4, 4))
            if joints
            else skin
        )
    meshes = _rebound(scene, skins, targets)
    bare = replace(scene, skins=tuple(skins), meshes=meshes)
    return _without_nodes(bare, out_of)


def _rebound(scene: Scene, skins: list[Skin], targets: list[np.ndarray]) -> tuple[Mesh, ...]:
    meshes = list(scene.meshes)
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        if node.skin is None or node.mesh is None or len(targets[node.skin]) == len(skins[node.skin].joints):
            continue
        target, count = targets[node.skin], len(skins[node.skin].joints)

        def change(prim: Primitive, target: np.ndarray = target, count: int = count) -> Primitive:
            if prim.joints is None or prim.weights is None:
                return prim
            table = merged_columns(table_of(prim, len(target)), target, count)
            joints, weights = influences_of(table, prim.joints.shape[1], 0.0)
            return replace(prim, joints=joints, weights=weights)

        if meshes[node.mesh] is scene.meshes[node.mesh]:
            old = scene.meshes[node.mesh]
            meshes[node.mesh] = replace(old, primitives=tuple(change(p) for p in old.primitives))
    return tuple(meshes)


def _without_nodes(scene: Scene, gone: Collection[int]) -> Scene:
    """Nodes that hold nothing but went out of the skins leave the tree, their children hang one higher."""
    holds = {i for i, n in enumerate(scene.nodes) if not holds_nothing(n)}
    above, world = parents(scene), world_matrices(scene)
    leave = {n for n in gone if n not in holds}
    nodes = list(scene.nodes)

    def stays_above(n: int) -> int:
        up = above[n]
        while up >= 0 and up in leave:
            up = above[up]
        return up

    children: dict[int, list[int]] = {
        i: [c for c in n.children if c not in leave] for i, n in enumerate(nodes)
    }
    roots = [r for r in scene.roots if r not in leave]
    for n in range(len(nodes)):
        if n in leave or above[n] not in leave:
            continue
        up = stays_above(n)
        base = world[up] if up >= 0 else np.eye(4)
        t, q, s, _ = decompose_all(inverse(base) @ world[n], like=nodes[n].scale)
        nodes[n] = replace(nodes[n], translation=t, rotation=q, scale=s, matrix=None)
        (children[up] if up >= 0 else roots).append(n)
    changed = tuple(replace(n, children=tuple(children[i])) for i, n in enumerate(nodes))
    return prune_nodes(replace(scene, nodes=changed, roots=tuple(roots)))
