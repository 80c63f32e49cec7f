"""Settling transforms: every node's leftover transform goes into what it carries, and nothing moves in world
space.

With W the world matrix of a node and K what is taken off it, its new world matrix is W·K, what it carries
goes through K⁻¹, inverse bind matrices become K⁻¹·B and its own matrix K_parent⁻¹·L·K. Nodes that neither
move nor hold joints get K = W⁻¹ (their world becomes the identity); joints and moving nodes give up their
scale alone, K = 1/s, so that skeletons keep their rotations and clips stay rotations. Mirrored ones give up
the mirror too: K = 1/s · M with M = diag(−1, 1, 1). What a joint or a mover only carries keeps its place and
turn below it and gives up the rest, uneven scale and shear included: with P = K_parent⁻¹·L and R the turn in
P, K = P⁻¹·[R | t].
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.changes.clips import following
from customs.changes.emptying import carried_nodes, rigged_nodes
from customs.changes.moving import moved_mesh
from customs.changes.rows import bare_rows_settled, kept_places, unlike_as_nodes, unmirrored
from customs.conventions.turn import placed
from customs.motion.posing.pose import joint_matrices
from customs.scene.alike import Alike
from customs.scene.arrays import frozen
from customs.scene.copies import keys_apart
from customs.scene.key import Key, made_key
from customs.scene.model import Channel, Mesh, Node, Remark, Scene
from customs.scene.old_keys import old_key
from customs.scene.transforms import (
    axis_lengths,
    inverse,
    invertible,
    matrix_quaternion,
    multiply_quaternions,
)
from customs.scene.tree import animated_nodes, joint_nodes, local_matrix, mesh_nodes, walk, world_matrices
from customs.tolerances import IDENTITY
from customs.words import many

F64 = npt.NDArray[np.float64]
SAME_TAKEN = IDENTITY * 1e-3
"""Transforms that nodes give up count as one where no entry differs by more."""
SAME_MATRIX = 1e-6
"""Largest difference between matrices that count as one (no unit, or metres)."""


def settle(scene: Scene) -> tuple[Scene, tuple[Remark, ...]]:
    """The settled scene, and a remark for each node that had to keep some of its transform."""
    scene, copied_rows = unmirrored(unlike_as_nodes(bare_rows_settled(_parted_skinned(scene))))
    taken, remarks = _taken_off(scene)
    remarks += copied_rows
    if all(np.abs(k - np.eye(4)).max() < SAME_TAKEN for k in taken.values()):
        return to_bind(_lift_skinned(_all_rooted(scene))), remarks
    above = {c: i for i, n in enumerate(scene.nodes) for c in n.children}
    nodes = list(scene.nodes)
    for n, _, _ in walk(scene):
        k = taken[n]
        parent = taken[above[n]] if n in above else np.eye(4)
        if n in above or not np.array_equal(k, np.eye(4)):
            nodes[n] = placed(scene.nodes[n], inverse(parent) @ local_matrix(scene.nodes[n]) @ k)
    nodes, meshes, copied = _moved_meshes(scene, nodes, taken)
    if copied:
        remarks = (
            *remarks,
            Remark(f"{many(copied, 'copy')} made of meshes that stand differently in several places"),
        )
    skins = tuple(
        replace(s, inverse_bind=frozen(np.stack([inverse(taken.get(j, np.eye(4))) @ b for j, b in
                zip(s.joints, s.inverse_bind)]), np.float64)) for s in scene.skins
    )  # fmt: skip
    clips = tuple(
        replace(
            c,
            channels=tuple(
                _channel(ch, taken, above, scene.nodes[ch.node], nodes[ch.node]) for ch in c.channels
            ),
        )
        for c in scene.clips
    )
    nodes = [_root_skinned(n) for n in nodes]
    rows = kept_places(scene, taken)
    out = replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), skins=skins, clips=clips, placements=rows)
    return to_bind(_lift_skinned(keys_apart(bare_rows_settled(out)))), remarks


def _moved_meshes(
    scene: Scene, nodes: list[Node], taken: dict[int, F64]
) -> tuple[list[Node], list[Mesh], int]:
    """(nodes, meshes, copies made): each mesh through what its nodes give up.

    Nodes that keep their transform keep the mesh as it is; a node that gives up another transform than the
    first gets a copy.
    """
    meshes: list[Mesh] = list(scene.meshes)
    own: dict[int, Alike[int]] = {}
    for m in scene.placements.meshes:
        own[m] = _kept(m)
    shown = [n for n in mesh_nodes(scene) if scene.nodes[n].mesh is not None]
    for n in shown:
        node = scene.nodes[n]
        if node.skin is not None or np.array_equal(taken[n], np.eye(4)):
            own[node.mesh or 0] = _kept(node.mesh or 0)
    copied = 0
    for n in shown:
        node, k = scene.nodes[n], taken[n]
        if node.skin is not None or np.array_equal(k, np.eye(4)):
            continue
        index = node.mesh or 0
        known = own.setdefault(index, Alike(SAME_TAKEN))
        at = known.find(k)
        if at is None:
            moved = moved_mesh(scene.meshes[index], inverse(k))
            at = len(meshes) if len(known) else index
            if len(known):
                copied += 1
                meshes.append(
                    replace(moved, key=_copied(scene, index, n), made_from=(scene.meshes[index].key,))
                )
            else:
                meshes[index] = moved
            known.add(k, at)
        if at != index:
            nodes[n] = replace(nodes[n], mesh=at)
    return nodes, meshes, copied


def _kept(mesh: int) -> Alike[int]:
    """A mesh that some nodes show as it is."""
    out: Alike[int] = Alike(SAME_TAKEN)
    out.add(np.eye(4), mesh)
    return out


def _copied(scene: Scene, mesh: int, node: int) -> Key:
    """The Key of a mesh's copy for one node."""
    return made_key(
        scene.meshes[mesh].key,
        "settle",
        scene.nodes[node].key.part,
        old_key(scene.digest, "mesh", "settle", node),
    )


def to_bind(scene: Scene) -> Scene:
    """Skins whose joints all carry their mesh to one other place: the mesh goes there, and rest is the bind
    pose again.

    With one matrix M for all joints, vertices go through M and inverse bind matrices become B·M⁻¹: their
    product stays.
    """
    world = world_matrices(scene)
    skins, meshes = list(scene.skins), list(scene.meshes)
    for i, skin in enumerate(scene.skins):
        users = [n for n in scene.nodes if n.mesh is not None and n.skin == i]
        others = {n.mesh for n in scene.nodes if n.mesh is not None and n.skin != i}
        joined = joint_matrices(scene, i, world)
        m = joined[0]
        alike = float(np.abs(joined - m).max()) < SAME_MATRIX * max(1.0, float(np.abs(m).max()))
        if (
            not alike
            or not invertible(m)
            or np.abs(m - np.eye(4)).max() < SAME_MATRIX
            or any(n.mesh in others for n in users)
        ):
            continue
        skins[i] = replace(skin, inverse_bind=frozen(skin.inverse_bind @ inverse(m), np.float64))
        for mesh in {n.mesh for n in users if n.mesh is not None}:
            meshes[mesh] = moved_mesh(scene.meshes[mesh], m)
    return replace(scene, skins=tuple(skins), meshes=tuple(meshes))


def _taken_off(scene: Scene) -> tuple[dict[int, F64], tuple[Remark, ...]]:
    """K per node."""
    world = world_matrices(scene)
    rigged, joints, carried = rigged_nodes(scene), joint_nodes(scene), carried_nodes(scene)
    fixed = {n.key for n in scene.nodes if n.holds}
    scaled = {c.node for a in scene.clips for c in a.channels if c.path == "scale"}
    taken: dict[int, F64] = {}
    remarks: list[Remark] = []
    blocked: set[int] = set()
    for n, parent, _ in walk(scene):
        node = scene.nodes[n]
        if n not in rigged and node.key not in fixed and invertible(world[n]):
            taken[n] = inverse(world[n])
            continue
        if n in carried and node.key not in fixed and invertible(world[n]):
            taken[n] = _but_the_turn(inverse(taken[parent]) @ local_matrix(node))
            continue
        if n in joints or n in rigged:
            scale = axis_lengths(world[n])
            even = scale.max() - scale.min() < 1e-4 * scale.max() and scale.max() > 0
            mirror = -1.0 if np.linalg.det(world[n][:3, :3] / max(scale.max(), 1e-300)) < 0 else 1.0
            share = 1 / scale[0] if even and n not in scaled and parent not in blocked else 1.0
            taken[n] = np.diag([mirror * share, share, share, 1.0])
            if share == 1.0 and not (even and abs(scale[0] - 1) < IDENTITY):
                blocked.add(n)
            if not even:
                remarks.append(Remark("keeps its uneven scale: it moves or is a joint", node.key))
            continue
        taken[n] = np.eye(4)
    for n in range(len(scene.nodes)):
        taken.setdefault(n, np.eye(4))
    return taken, tuple(remarks)


def _but_the_turn(m: F64) -> F64:
    """K that leaves of `m` (4, 4) its translation and the turn nearest to it. Source: polar decomposition by
    SVD (Higham, 1986).
    """
    left, _, right = np.linalg.svd(m[:3, :3])
    turn = left @ right
    left[:, 2] *= np.sign(np.linalg.det(turn))
    kept = m.copy()
    kept[:3, :3] = left @ right
    k = inverse(m) @ kept
    return np.eye(4) if np.abs(k - np.eye(4)).max() < SAME_TAKEN else k


def _all_rooted(scene: Scene) -> Scene:
    """The scene with the transforms of skinned meshes' own nodes dropped; the same one where there are
    none.
    """
    nodes = tuple(_root_skinned(n) for n in scene.nodes)
    return scene if all(a is b for a, b in zip(nodes, scene.nodes)) else replace(scene, nodes=nodes)


def _root_skinned(node: Node) -> Node:
    """A skinned mesh's own node has no say in where it is (glTF 2.0, 3.7.3.3): its transform is dropped."""
    if (
        node.skin is None
        or node.mesh is None
        or node.children
        or not np.abs(local_matrix(node) - np.eye(4)).any()
    ):
        return node
    return replace(
        node, translation=np.zeros(3), rotation=np.array([0.0, 0, 0, 1]), scale=np.ones(3), matrix=None
    )


def _parted_skinned(scene: Scene) -> Scene:
    """Skinned meshes on nodes that carry other nodes, or are joints, get a node of their own: the old one
    keeps its place.
    """
    busy = joint_nodes(scene) | animated_nodes(scene)
    nodes = list(scene.nodes)
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        if node.skin is None or not (node.children or n in busy):
            continue
        key = made_key(node.key, "settle", old=old_key(scene.digest, "node", "settle", n))
        nodes[n] = replace(node, mesh=None, skin=None, weights=None)
        nodes.append(
            Node(
                key,
                f"{node.name} skin",
                mesh=node.mesh,
                skin=node.skin,
                weights=node.weights,
                made_from=(node.key,),
            )
        )
    if len(nodes) == len(scene.nodes):
        return scene
    moved = {
        n: len(scene.nodes) + k for k, n in enumerate(m for m in mesh_nodes(scene) if nodes[m].mesh is None)
    }
    return replace(
        scene,
        nodes=tuple(nodes),
        roots=(*scene.roots, *range(len(scene.nodes), len(nodes))),
        clips=following(scene.clips, moved),
    )


def _lift_skinned(scene: Scene) -> Scene:
    """Skinned mesh nodes without children move directly under the root, where the validator wants them."""
    joints = joint_nodes(scene)
    lift = [
        n
        for n, parent, _ in walk(scene)
        if parent >= 0 and scene.nodes[n].skin is not None and not scene.nodes[n].children and n not in joints
    ]
    if not lift:
        return scene
    gone = set(lift)
    nodes = tuple(replace(m, children=tuple(c for c in m.children if c not in gone)) for m in scene.nodes)
    return replace(scene, nodes=nodes, roots=(*scene.roots, *lift))


def _channel(channel: Channel, taken: dict[int, F64], above: dict[int, int], old: Node, new: Node) -> Channel:
    """A channel whose node and parent gave up part of their transforms; `old` and `new` are the node before
    and after.
    """
    parent = inverse(taken[above[channel.node]]) if channel.node in above else np.eye(4)
    v = channel.values.astype(np.float64)
    scale = np.cbrt(abs(np.linalg.det(parent[:3, :3])))
    if channel.path == "translation":
        out = v @ parent[:3, :3].T
        if channel.interpolation == "cubic":
            out[:, 1] += parent[:3, 3]
        else:
            out += parent[:3, 3]
        return replace(channel, values=frozen(out))
    signs = np.where(old.scale < 0, -1.0, 1.0) * np.where(new.scale < 0, -1.0, 1.0)
    own = np.cbrt(abs(np.linalg.det(taken[channel.node][:3, :3])))
    if channel.path == "rotation" and scale > 0:
        # The signs of old and new scale stand beside the turn: L = A · R · B with all that is no turn of its
        # own taken in.
        right = np.diag(np.where(old.scale < 0, -1.0, 1.0)) @ (taken[channel.node][:3, :3] / own)
        return replace(
            channel,
            values=frozen(_turned(parent[:3, :3] / scale, v, right * np.where(new.scale < 0, -1.0, 1.0))),
        )
    if channel.path == "scale":
        return replace(channel, values=frozen(v * scale * own * signs))
    return channel


MIRROR = np.diag([-1.0, 1.0, 1.0])


def _turned(left: F64, q: F64, right: F64) -> F64:
    """Quaternions (..., 4) of left · R(q) · right, where both (3, 3) are turns or both are mirrored turns.

    With M = diag(−1, 1, 1), M · R(x, y, z, w) · M is R(x, −y, −z, w): linear, so it holds for the tangents of
    keys too.
    """
    if np.linalg.det(left) < 0 and np.linalg.det(right) < 0:
        left, q, right = left @ MIRROR, q * np.array([1.0, -1.0, -1.0, 1.0]), MIRROR @ right
    out = multiply_quaternions(matrix_quaternion(left), q)
    return (
        out if np.abs(right - np.eye(3)).max() < 1e-9 else multiply_quaternions(out, matrix_quaternion(right))
    )
