"""Walking the node tree: parents, order, world matrices, where meshes stand."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from customs.scene.arrays import frozen
from customs.scene.kept import kept
from customs.scene.model import Node, Scene
from customs.scene.transforms import compose

F64 = npt.NDArray[np.float64]
Levels = list[tuple[list[int], list[int] | None]]
"""(nodes, what each hangs under, None for roots) level by level."""


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
    """(node, parent or −1, depth) for every node reachable from the roots, parents first, children in
    order.
    """
    stack = [(root, -1, 0) for root in reversed(scene.roots)]
    while stack:
        node, parent, depth = stack.pop()
        yield node, parent, depth
        stack.extend((child, node, depth + 1) for child in reversed(scene.nodes[node].children))


def local_matrices(scene: Scene) -> F64:
    """Own transforms (N, 4, 4) float64 of all nodes, read-only. Kept while the scene lives."""
    return kept("own matrices", scene, lambda: frozen(_local_matrices(scene), np.float64))


def _local_matrices(scene: Scene) -> F64:
    if not scene.nodes:
        return np.zeros((0, 4, 4))
    parts = (
        np.array([getattr(n, path) for n in scene.nodes], dtype=np.float64)
        for path in ("translation", "rotation", "scale")
    )
    out = compose(*parts)
    for k, node in enumerate(scene.nodes):
        if node.matrix is not None:
            out[k] = node.matrix
    return out


def levels(scene: Scene) -> Levels:
    """(nodes, what each hangs under, None for roots) level by level from the roots down."""
    out: Levels = []
    level, above = list(scene.roots), list[int]()
    while level:
        out.append((level, above if out else None))
        above = [n for n in level for _ in scene.nodes[n].children]
        level = [c for n in level for c in scene.nodes[n].children]
    return out


def world_matrices(scene: Scene) -> F64:
    """World transforms (N, 4, 4) float64 of all nodes at rest, read-only; identity outside the tree. Kept
    while the scene lives.
    """
    return kept(
        "worlds", scene, lambda: frozen(placed_in_world(levels(scene), local_matrices(scene)), np.float64)
    )


def placed_in_world(tree: Levels, own: F64) -> F64:
    """World transforms (N, 4, 4) of nodes whose own ones are `own` (N, 4, 4), by their `levels`."""
    out = np.broadcast_to(np.eye(4), own.shape).copy()
    for nodes, above in tree:
        out[nodes] = own[nodes] if above is None else out[above] @ own[nodes]
    return out


def mesh_nodes(scene: Scene) -> list[int]:
    """Nodes in the tree that carry a mesh, in walking order."""
    return [n for n, _, _ in walk(scene) if scene.nodes[n].mesh is not None]


def animated_nodes(scene: Scene) -> set[int]:
    """Nodes whose translation, rotation or scale some clip moves."""
    return {c.node for clip in scene.clips for c in clip.channels if c.path != "weights"}


def joint_nodes(scene: Scene) -> set[int]:
    """Nodes some skin uses as a joint."""
    return {j for skin in scene.skins for j in skin.joints}
