"""Which nodes hold something, move, or lead to joints; dropping those that do not."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

import numpy as np

from customs.conventions.turn import placed
from customs.scene.held import holds_nothing
from customs.scene.model import Scene
from customs.scene.placements import Placements
from customs.scene.prune import prune_nodes
from customs.scene.tree import animated_nodes, joint_nodes, local_matrices, local_matrix, parents, walk


def rigged_nodes(scene: Scene) -> set[int]:
    """Joints, moving nodes, and everything below them: their transforms belong to clips and skins."""
    busy = animated_nodes(scene) | joint_nodes(scene)
    out: set[int] = set()
    for n, parent, _ in walk(scene):
        if n in busy or parent in out:
            out.add(n)
    return out


def leading_nodes(scene: Scene) -> set[int]:
    """Joints, moving nodes, and everything above them."""
    out = animated_nodes(scene) | joint_nodes(scene)
    for n in reversed([n for n, _, _ in walk(scene)]):
        if any(c in out for c in scene.nodes[n].children):
            out.add(n)
    return out


def carried_nodes(scene: Scene) -> set[int]:
    """Nodes below a joint or a mover that are neither, nor lead to one: they go where it goes and do nothing
    else.
    """
    return rigged_nodes(scene) - leading_nodes(scene)


def empties(scene: Scene) -> list[int]:
    """Nodes without mesh, camera or light that are no joint, do not move, and have no joint or mover below
    them. Rows that show nothing are such nodes too: see `Placements.shows`."""
    leading = leading_nodes(scene)
    return [n for n, _, _ in walk(scene) if n not in leading and holds_nothing(scene.nodes[n])]


def count_empty(scene: Scene) -> int:
    """How many nodes and rows are empty."""
    return len(empties(scene)) + int((~scene.placements.shows).sum())


def without(scene: Scene, gone: Collection[int]) -> Scene:
    """The scene without the nodes `gone`; what was below them takes over their transforms and stays in
    place.
    """
    nodes = list(scene.nodes)
    doomed = set(gone)

    def lifted(children: tuple[int, ...]) -> tuple[int, ...]:
        out: list[int] = []
        for c in children:
            if c not in doomed:
                out.append(c)
                continue
            for below in scene.nodes[c].children:
                nodes[below] = placed(nodes[below], local_matrix(nodes[c]) @ local_matrix(nodes[below]))
            out += lifted(scene.nodes[c].children)
        return tuple(out)

    roots = lifted(scene.roots)
    for n, _, _ in walk(scene):
        if n not in doomed:
            nodes[n] = replace(nodes[n], children=lifted(scene.nodes[n].children))
    return prune_nodes(
        replace(scene, nodes=tuple(nodes), roots=roots, placements=_lifted_rows(scene, doomed))
    )


def _lifted_rows(scene: Scene, doomed: set[int]) -> Placements:
    """Rows under nodes that go hang under what is above those, and stay in place."""
    rows = scene.placements
    above, own = np.array([*parents(scene), -1]), np.concatenate([local_matrices(scene), np.eye(4)[None]])
    lost = np.array([*(n in doomed for n in range(len(scene.nodes))), False])
    while len(rows) and (under := lost[rows.parents]).any():
        moved = np.where((under & rows.top)[:, None, None], own[rows.parents] @ rows.squares, rows.squares)
        rows = rows.moved(moved).under(np.where(under, above[rows.parents], rows.parents))
    return rows
