"""Nodes that keep a transform they should not."""

from __future__ import annotations

import numpy as np

from customs.changes.emptying import carried_nodes, rigged_nodes
from customs.scene.model import Scene
from customs.scene.transforms import axis_lengths, invertible
from customs.scene.tree import joint_nodes, local_matrix, walk, world_matrices
from customs.tolerances import IDENTITY


def unsettled(scene: Scene) -> list[int]:
    """Nodes the step Settle would change: any transform on what stands still, leftover scale on joints and on
    what they carry."""
    rigged, joints, carried = rigged_nodes(scene), joint_nodes(scene), carried_nodes(scene)
    scaled = {c.node for a in scene.clips for c in a.channels if c.path == "scale"}
    world = world_matrices(scene)
    out = []
    for n, parent, _ in walk(scene):
        node = scene.nodes[n]
        # A clip that scales a joint scales what hangs on it: that scale is the clip's, not left over.
        if parent in scaled:
            scaled.add(n)
        # What a scale of 0 hides has nothing to settle: it is to stay hidden.
        if node.holds or not invertible(world[n]):
            continue
        if n in carried:
            # Below what moves it keeps its place and turn; scale and shear go into what it carries.
            linear = local_matrix(node)[:3, :3]
            if np.abs(linear.T @ linear - np.eye(3)).max() > 2e-3 or np.linalg.det(linear) < 0:
                out.append(n)
        elif n in rigged or n in joints:
            lengths = axis_lengths(world[n])
            even = lengths.max() - lengths.min() < 1e-4 * max(lengths.max(), 1e-12)
            if n not in scaled and even and abs(lengths[0] - 1) > 1e-3:
                out.append(n)
        elif np.abs(local_matrix(node) - np.eye(4)).max() > IDENTITY:
            out.append(n)
    return out
