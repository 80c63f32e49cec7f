"""Walking the node tree: parents, order, world matrices, where meshes stand."""

from __future__ import annotations

import weakref
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from customs.scene.model import Node, Scene
from customs.scene.transforms import compose

F64 = npt.NDArray[np.float64]
_worlds: weakref.WeakKeyDictionary[Scene, list[F64]] = weakref.WeakKeyDictionary()


def local_matrix(node: Node) -> F64:
    """The node's own transform, (4, 4) float64."""
    return node.matrix if node.matrix is not None else compose(node.translation, node.rotation, node.scale)


def parents(scene: Scene) -> list[int]:
    """For each node the index of its parent, −1 for a root or a node outside the scene's tree."""
    out = [-1] * len(scene.nodes)
    for i, node in enumerate(scene.nodes):
        for child in node.children:
            out[child] = i
    return out


def walk(scene: Scene) -> Iterator[tuple[int, int, int]]:
    """(node, parent or −1, depth) for every node reachable from the roots, parents first, children in order."""
    stack = [(root, -1, 0) for root in reversed(scene.roots)]
    while stack:
        node, parent, depth = stack.pop()
        yield node, parent, depth
        stack.extend((child, node, depth + 1) for child in reversed(scene.nodes[node].children))


def world_matrices(scene: Scene) -> list[F64]:
    """World transform (4, 4) float64 per node at rest; identity for nodes outside the tree. Kept while the scene lives."""
    known = _worlds.get(scene)
    if known is None:
        own = [local_matrix(n) for n in scene.nodes]
        known = [np.eye(4)] * len(scene.nodes)
        for node, parent, _ in walk(scene):
            known[node] = own[node].copy() if parent < 0 else known[parent] @ own[node]
        for world in known:
            world.flags.writeable = False
        _worlds[scene] = known
    return list(known)


def mesh_nodes(scene: Scene) -> list[int]:
    """Nodes in the tree that carry a mesh, in walking order."""
    return [n for n, _, _ in walk(scene) if scene.nodes[n].mesh is not None]


def animated_nodes(scene: Scene) -> set[int]:
    """Nodes whose translation, rotation or scale some clip moves."""
    return {c.node for clip in scene.clips for c in clip.channels if c.path != "weights"}


def joint_nodes(scene: Scene) -> set[int]:
    """Nodes some skin uses as a joint."""
    return {j for skin in scene.skins for j in skin.joints}
