"""What tools leave behind in a rig: a second skeleton, joints that move nothing, copies of a mesh made for an
outline.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import signed_volume, triangles_of
from customs.later import later
from customs.motion.posing.bounds import local_bounds
from customs.motion.skeleton.skeleton import skeleton_of
from customs.scene.model import Mesh, Scene
from customs.scene.tree import animated_nodes, mesh_nodes, parents, world_matrices

sparse = later("scipy.sparse")
Ints = npt.NDArray[np.intp]
MOST_ALIKE = 64
"""Meshes of one count of faces beyond this many are copies for another reason (count)."""
LEAST_FACES = 4
"""Fewer enclose nothing."""
INFLATED = 0.05
"""An outline stands off its mesh by less than this share of the size (ratio)."""


@dataclass(frozen=True)
class Skeletons:
    """Top joints of each separate skeleton, the one that moves most vertices first, and how many each moves.

    Chains that stand side by side and move one mesh together are one skeleton with several tops.
    """

    tops: tuple[tuple[int, ...], ...]
    moves: tuple[int, ...]


def joint_use(scene: Scene) -> dict[int, int]:
    """Vertices each joint node moves with a weight over 0."""
    out: dict[int, int] = {j: 0 for s in scene.skins for j in s.joints}
    for used in mesh_use(scene).values():
        for joint, count in used.items():
            out[joint] += count
    return out


def mesh_use(scene: Scene) -> dict[int, dict[int, int]]:
    """By mesh node: the joint nodes that move some of its vertices with a weight over 0, and how many
    (count).
    """
    out: dict[int, dict[int, int]] = {}
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        if node.skin is None or node.mesh is None:
            continue
        joints = np.array(scene.skins[node.skin].joints)
        mine = out.setdefault(n, {})
        for p in scene.meshes[node.mesh].primitives:
            if p.joints is not None and p.weights is not None:
                used = p.joints[p.weights > 0]
                for k, count in zip(*np.unique(used[used < len(joints)], return_counts=True)):
                    mine[int(joints[k])] = mine.get(int(joints[k]), 0) + int(count)
    return out


def skeletons(scene: Scene) -> Skeletons:
    """The separate skeletons of a scene: joints without a joint above them start one, unless a mesh hangs on
    both.
    """
    if not scene.skins:
        return Skeletons((), ())
    s, use = skeleton_of(scene), mesh_use(scene)
    top = np.arange(s.count)
    for k in s.order:
        if s.parent[k] >= 0:
            top[k] = top[s.parent[k]]
    top_of = dict(zip(s.nodes, top.tolist()))
    held = [sorted({top_of[j] for j in used}) for used in use.values() if used]
    # Joints of one skin belong together, those that move nothing too: without them the skin is no whole one.
    held += [sorted({top_of[j] for j in scene.skins[k].joints}) for k in _shown_skins(scene)]
    one, other = np.array([(tops[0], t) for tops in held for t in tops], dtype=np.intp).reshape(-1, 2).T
    links = sparse.coo_matrix((np.ones(len(one), dtype=bool), (one, other)), shape=(s.count, s.count))
    group = sparse.csgraph.connected_components(links, directed=False)[1]
    found: dict[int, set[int]] = {}
    for t in sorted(set(top.tolist())):
        found.setdefault(int(group[t]), set()).add(t)
    moves = {
        g: sum(n for used in use.values() for j, n in used.items() if top_of[j] in tops)
        for g, tops in found.items()
    }
    order = sorted(found, key=lambda g: -moves[g])
    return Skeletons(
        tuple(tuple(s.nodes[t] for t in sorted(found[g])) for g in order),
        tuple(moves[g] for g in order),
    )


def _shown_skins(scene: Scene) -> list[int]:
    return sorted({k for n in mesh_nodes(scene) if (k := scene.nodes[n].skin) is not None})


def moving_skeletons(scene: Scene) -> int:
    """How many of the separate skeletons move something and are moved by a clip themselves."""
    found, moved = skeletons(scene), animated_nodes(scene)
    s = skeleton_of(scene) if scene.skins else None
    count = 0
    for tops, moves in zip(found.tops, found.moves):
        assert s is not None
        columns = [s.nodes.index(t) for t in tops]
        mine = {s.nodes[i] for i in range(s.count) if i in columns or s.above[i, columns].any()}
        count += bool(moves and mine & moved)
    return count


def idle_joints(scene: Scene) -> tuple[int, ...]:
    """Joint nodes that move no vertex, and neither does any joint or mesh below them."""
    use = joint_use(scene)
    busy: set[int] = {n for n, count in use.items() if count}
    busy |= {i for i, n in enumerate(scene.nodes) if (n.mesh is not None and n.skin is None) or n.holds}
    above = parents(scene)
    for n in list(busy):
        while n >= 0:
            busy.add(n)
            n = above[n]
    return tuple(j for j in use if j not in busy)


def outlines(scene: Scene) -> tuple[int, ...]:
    """Mesh nodes that are copies of another for an outline: the same faces, a little inflated, turned inside
    out.
    """
    # Only meshes of as many faces can be copies: thousands of meshes are not compared each with each.
    alike: dict[int, list[int]] = {}
    for n in mesh_nodes(scene):
        alike.setdefault(sum(len(triangles_of(p)) for p in _mesh(scene, n).primitives), []).append(n)
    out: list[int] = []
    places = world_matrices(scene)
    for count, group in alike.items():
        for n, other in _near(scene, group[:MOST_ALIKE], places) if count >= LEAST_FACES else ():
            if n not in out and other not in out and _outline_of(_mesh(scene, n), _mesh(scene, other)):
                out.append(n)
    return tuple(sorted(out))


def _near(scene: Scene, group: list[int], places: npt.NDArray[np.float64]) -> list[tuple[int, int]]:
    """Pairs of mesh nodes of different meshes whose boxes are near each other, and that put what they carry at one place; a skinned mesh
    is where its joints take it. All pairs at once: most are nothing like each other.
    """
    boxes = np.array([_box(_mesh(scene, n)) for n in group])
    at = np.array([np.eye(4) if scene.nodes[n].skin is not None else places[n] for n in group])
    meshes = np.array([scene.nodes[n].mesh for n in group])
    spans = np.diff(boxes, axis=1)[:, 0]
    near = np.abs(boxes[:, None] - boxes[None]).max(axis=(2, 3)) <= INFLATED * np.linalg.norm(spans, axis=1)
    # What `other` carries, put where either would put it: [node, other, corner].
    put = np.einsum("nij,okj->noki", at[:, :3, :3], boxes) + at[:, None, None, :3, 3]
    off = np.abs(put - np.einsum("ooki->oki", put)[None]).max(axis=(2, 3))
    size = np.linalg.norm(np.einsum("nij,nj->ni", at[:, :3, :3], spans), axis=1)
    # What shows one mesh many times is no outline of itself.
    found = np.argwhere((meshes[:, None] != meshes[None]) & near & (off <= INFLATED * size))
    return [(group[i], group[j]) for i, j in found.tolist()]


def _mesh(scene: Scene, node: int) -> Mesh:
    return scene.meshes[scene.nodes[node].mesh or 0]


def _joined(mesh: Mesh) -> tuple[npt.NDArray[np.float64], Ints]:
    starts = np.cumsum([0, *(len(p.positions) for p in mesh.primitives)])
    points = np.concatenate([p.positions.astype(np.float64) for p in mesh.primitives])
    faces = np.concatenate([triangles_of(p).astype(np.intp) + s for p, s in zip(mesh.primitives, starts)])
    return points, faces


def _box(mesh: Mesh) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    boxes = [local_bounds(p) for p in mesh.primitives]
    return np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)


def _outline_of(copy: Mesh, mesh: Mesh) -> bool:
    """True for the outline of a mesh of as many faces."""
    a, f = _joined(copy)
    b, g = _joined(mesh)
    if not (np.isfinite(a).all() and np.isfinite(b).all()):
        return False
    size = float(np.linalg.norm(np.ptp(b, axis=0)))
    # Face by face, not vertex by vertex: making normals parts the vertices of either in its own way.
    off = np.linalg.norm(a[f].mean(axis=1) - b[g].mean(axis=1), axis=1)
    if size <= 0 or float(off.max()) > INFLATED * size:
        return False
    one, two = signed_volume(a, f.astype(np.uint32)), signed_volume(b, g.astype(np.uint32))
    inside_out = one < 0 < two
    inflated = float(np.median(off)) > 1e-4 * size and abs(one) > abs(two)
    return inside_out or (inflated and one * two > 0 and float(np.std(off)) < 0.5 * float(np.mean(off)))
