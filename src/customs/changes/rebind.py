"""Meshes taken from one skeleton to another: vertices carried by matrices, weights by a table of who stands
for whom.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.geometry.laplace import neighbours
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_of_rows
from customs.later import Sparse, later
from customs.motion.posing.pose import joint_matrices
from customs.motion.posing.still import still_normals, still_target
from customs.motion.skeleton.skeleton import Skeleton
from customs.motion.weights.heat import bone_segments, to_segments
from customs.motion.weights.table import influences_of, merged_columns, table_of
from customs.motion.weights.transfer import softened
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, Primitive, Scene
from customs.scene.tree import parents

sparse = later("scipy.sparse")
F64 = npt.NDArray[np.float64]


def bound_mesh(
    scene: Scene,
    node: int,
    world: F64,
    skeleton: Skeleton,
    matrices: F64,
    after: F64,
    target: npt.NDArray[np.intp],
    count: int,
    limit: int,
    soften: int = 0,
) -> Mesh:
    """The mesh at `node` bound to another skeleton of `count` joints.

    `matrices` (J, 4, 4) carry what each joint of `skeleton` moves from where it rests to where it belongs in
    the world, `after` (4, 4) from there into the space of the new skin; `target` (J,) says which new joint
    stands for each. A mesh without weights goes with the joint above it, else with the nearest bone.
    """
    where = scene.nodes[node]
    mesh = scene.meshes[where.mesh or 0]
    rest, columns = _rest(scene, node, world, skeleton)

    def change(prim: Primitive) -> Primitive:
        if where.skin is not None and prim.joints is not None and prim.weights is not None:
            local = table_of(prim, len(scene.skins[where.skin].joints))
            table = merged_columns(local, columns, skeleton.count)
            moved = after @ matrices[columns] @ rest
            blend = (local @ moved[:, :3].reshape(len(columns), 12)).reshape(-1, 3, 4)
        else:
            joint = _carrier(scene, node, world, skeleton, prim)
            table = merged_columns(
                sparse.csr_matrix(np.ones((len(prim.positions), 1))),
                np.array([joint], dtype=np.intp),
                skeleton.count,
            )
            blend = np.broadcast_to((after @ matrices[joint] @ world[node])[:3], (len(prim.positions), 3, 4))
        joints, weights = influences_of(evened(prim, merged_columns(table, target, count), soften), limit)
        return carried(replace(prim, joints=joints, weights=weights), blend)

    return replace(mesh, primitives=tuple(change(p) for p in mesh.primitives))


def evened(prim: Primitive, table: Sparse, rounds: int) -> F64:
    """The table (V, J) softened along the mesh; vertices at one place count as one, so seams stay shut."""
    dense: F64 = table.toarray()
    faces = triangles_of(prim)
    if rounds <= 0 or not len(faces):
        return dense
    group = groups_of_rows(prim.positions)
    first = np.unique(group, return_index=True)[1]
    graph = neighbours(group[faces], len(first))
    small = dense[first]
    for _ in range(rounds):
        small = softened(small, graph)
    return small[group]


def carried(prim: Primitive, blend: F64) -> Primitive:
    """A primitive through a matrix for every vertex (V, 3, 4): positions, normals, tangents and morph
    offsets.
    """
    points = np.einsum("vij,vj->vi", blend[:, :, :3], prim.positions.astype(np.float64)) + blend[:, :, 3]
    normals, tangents = still_normals(prim, blend[:, :, :3])
    targets = tuple(still_target(t, blend[:, :, :3]) for t in prim.targets)
    return replace(prim, positions=frozen(points), normals=normals, tangents=tangents, targets=targets)


def _rest(scene: Scene, node: int, world: F64, skeleton: Skeleton) -> tuple[F64, npt.NDArray[np.intp]]:
    """(world · inverse bind of each joint of the node's skin (K, 4, 4), its number in the skeleton (K,))."""
    skin = scene.nodes[node].skin
    if skin is None:
        return np.zeros((0, 4, 4)), np.zeros(0, np.intp)
    at = {n: k for k, n in enumerate(skeleton.nodes)}
    return joint_matrices(scene, skin, world), np.array(
        [at[j] for j in scene.skins[skin].joints], dtype=np.intp
    )


def _carrier(scene: Scene, node: int, world: F64, skeleton: Skeleton, prim: Primitive) -> int:
    above, at = parents(scene), {n: k for k, n in enumerate(skeleton.nodes)}
    n = node
    while n >= 0:
        if n in at:
            return at[n]
        n = above[n]
    starts, ends, owner = bone_segments(skeleton)
    middle = world[node][:3, :3] @ prim.positions.mean(axis=0, dtype=np.float64) + world[node][:3, 3]
    return int(owner[to_segments(middle[None], starts, ends)[0][0].argmin()])
