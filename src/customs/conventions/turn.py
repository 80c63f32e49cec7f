"""Turning and moving a whole scene at its roots, for what is no swap of axes."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.key import made_key
from customs.scene.model import Node, Scene
from customs.scene.old_keys import old_key
from customs.scene.transforms import decompose
from customs.scene.tree import animated_nodes, local_matrix

F64 = npt.NDArray[np.float64]


def placed(node: Node, matrix: F64) -> Node:
    """`node` with its own transform replaced by `matrix` (4, 4)."""
    parts = decompose(matrix, like=node.scale)
    if parts is None:
        return replace(node, matrix=matrix)
    return replace(node, translation=parts[0], rotation=parts[1], scale=parts[2], matrix=None)


def under_all(scene: Scene, matrix: F64) -> Scene:
    """`scene` with `matrix` (4, 4) put above every root: into a root itself, or a new node over one that moves."""
    busy = animated_nodes(scene)
    nodes, roots = list(scene.nodes), []
    for r in scene.roots:
        if r in busy:
            key = made_key(nodes[r].key, "turn", old=old_key(scene.digest, "node", "turn", r))
            top = Node(key, f"{nodes[r].name} place", children=(r,))
            nodes.append(placed(top, matrix))
            roots.append(len(nodes) - 1)
        else:
            nodes[r] = placed(nodes[r], matrix @ local_matrix(nodes[r]))
            roots.append(r)
    rows = scene.placements
    free = rows.top & (rows.parents < 0)
    if free.any():
        rows = rows.moved(np.where(free[:, None, None], matrix @ rows.squares, rows.squares))
    return replace(scene, nodes=tuple(nodes), roots=tuple(roots), placements=rows)


def turn_roots(scene: Scene, rotation: Any) -> Scene:
    """The scene turned by `rotation` (3, 3) about the origin; skinned meshes follow their joints."""
    m = np.eye(4)
    m[:3, :3] = rotation
    return under_all(scene, m)


def move_roots(scene: Scene, by: Any) -> Scene:
    """The scene moved by `by` (3,) metres; skinned meshes follow their joints."""
    m = np.eye(4)
    m[:3, 3] = by
    return under_all(scene, m)
