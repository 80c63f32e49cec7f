"""Nodes that only repeat a mesh become rows of placements, and rows become nodes again for who does not know
them.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.hanging import depths, leading, shapes, through
from customs.scene.kept import kept
from customs.scene.key import Key
from customs.scene.model import Node, Scene
from customs.scene.placements import NOTHING, Placements, table
from customs.scene.prune import with_nodes
from customs.scene.transforms import compose, decompose_all
from customs.scene.tree import (
    animated_nodes,
    joint_nodes,
    local_matrices,
    mesh_nodes,
    parents,
    walk,
    world_matrices,
)

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
LEAST = 32
"""Nodes that show the same, with all below them, before they are a table (common practice: fewer are quicker
one by one).
"""
SHEAR = 1e-4
"""Largest cosine between two axes that translation, rotation and scale may stand for."""


def row_key(scene: Scene, row: int) -> Key:
    """The Key the node of a row had."""
    return Key(scene.digest, "node", int(scene.placements.ordinals[row]))


@dataclass(frozen=True)
class RowName:
    """A row as something that has a name."""

    key: Key
    name: str


def row_names(scene: Scene) -> tuple[RowName, ...]:
    """Key and name of each row. Kept while the scene lives."""
    rows, digest = scene.placements, scene.digest

    def find() -> tuple[RowName, ...]:
        return tuple(
            RowName(Key(digest, "node", k), name) for k, name in zip(rows.ordinals.tolist(), rows.names)
        )

    return kept("row names", rows, find)


def row_worlds(scene: Scene) -> F64:
    """World transforms (N, 3, 4) float64 of all rows at rest, read-only. Kept while the scene lives."""
    return kept("rows in the world", scene, lambda: _locked(rows_under(scene, world_matrices(scene))))


def rows_under(scene: Scene, worlds: F64) -> F64:
    """World transforms (N, 3, 4) of rows whose nodes stand at `worlds` (nodes, 4, 4)."""
    rows = scene.placements
    if not len(rows):
        return np.zeros((0, 3, 4))
    above = np.concatenate([worlds[:, :3], np.eye(4)[None, :3]])[rows.parents]
    return through(above, rows.hanging)


def _locked(values: F64) -> F64:
    values.flags.writeable = False
    return values


def shown_times(scene: Scene) -> list[int]:
    """How often nodes in the tree and rows show each mesh."""
    by_nodes = np.array([scene.nodes[n].mesh for n in mesh_nodes(scene)], dtype=np.intp)
    count = len(scene.meshes)
    return (np.bincount(by_nodes, minlength=count) + scene.placements.times(count)).tolist()


def fold(scene: Scene) -> Scene:
    """Nodes that say no more than a row can, LEAST or more that show the same with all below them, as rows,
    and fewer rows as nodes; the same scene where there are none of either.

    Joints, what clips move and all above and below them, skinned, morphed and sheared nodes, and nodes that
    hold or say anything else stay nodes, and with them what is above them.
    """
    count = len(scene.nodes)
    if count < LEAST and not len(scene.placements):
        return scene
    above, shown = _items(scene)
    many = repeated(above, shown)
    if not many[count:].all():
        return fold(as_nodes(scene, ~many[count:]))
    gone = (
        many[:count]
        & ~leading(above, np.append(~_rowlike(scene), np.zeros(len(scene.placements), dtype=bool)))[:count]
    )
    if not gone.any():
        return scene
    return with_nodes(
        _as_rows(scene, gone, above), {old: new for new, old in enumerate(np.flatnonzero(~gone).tolist())}
    )


def repeated(above: Ints, shown: Ints) -> npt.NDArray[np.bool_]:
    """(N,) which items, each under another (N,) and showing a mesh (N,), are LEAST or more that show the same
    with all below them.
    """
    _, which, times = np.unique(shapes(shown, above), return_inverse=True, return_counts=True)
    out: npt.NDArray[np.bool_] = times[which] >= LEAST
    return out


def _items(scene: Scene) -> tuple[Ints, Ints]:
    """(what each hangs under, the mesh it shows or −1) of all nodes, then of all rows."""
    rows, count = scene.placements, len(scene.nodes)
    above = np.concatenate([parents(scene), np.where(rows.top, rows.parents, rows.above + count)]).astype(
        np.intp
    )
    nodes = [-1 if n.mesh is None else n.mesh for n in scene.nodes]
    return above, np.concatenate(
        [nodes, np.where(rows.shows, rows.of, 0).astype(np.intp) - ~rows.shows]
    ).astype(np.intp)


def _rowlike(scene: Scene) -> npt.NDArray[np.bool_]:
    """(N,) which nodes are in the tree, do not move, are no joints and hang under none, and say no more than
    a row can.
    """
    busy = animated_nodes(scene) | joint_nodes(scene) | {s.root for s in scene.skins}
    busy |= {c.node for clip in scene.clips for c in clip.channels}
    leads, moving = set(scene.placements.parents.tolist()), set[int]()
    out = np.zeros(len(scene.nodes), dtype=bool)
    for n, parent, _ in walk(scene):
        if n in busy or parent in moving:
            moving.add(n)
        else:
            node = scene.nodes[n]
            # What shows nothing and leads nowhere is left as it is, to be found and dropped.
            out[n] = _plain(node, scene.digest) and (
                node.mesh is not None or bool(node.children) or n in leads
            )
    return out


def _plain(node: Node, digest: str) -> bool:
    """True for a node that says no more than a row can."""
    return (
        node.matrix is None
        and node.skin is None
        and not node.holds
        and node.weights is None
        and not node.bone
        and not node.extras
        and not node.made_from
        and node.key.kind == "node"
        and node.key.digest == digest
    )


def _as_rows(scene: Scene, gone: npt.NDArray[np.bool_], above: Ints) -> Scene:
    """The scene with rows for the nodes `gone` (N,), before those it has; the nodes are still there."""
    order = np.array(
        sorted(np.flatnonzero(gone).tolist(), key=lambda i: scene.nodes[i].key.ordinal), dtype=np.intp
    )
    number = np.full(len(scene.nodes) + 1, -1)
    number[order] = np.arange(len(order))
    nodes, under = [scene.nodes[i] for i in order.tolist()], above[order]
    of = [NOTHING if n.mesh is None else n.mesh for n in nodes]
    matrices, names = local_matrices(scene)[order], tuple(n.name for n in nodes)
    rows = table(
        of,
        matrices,
        np.where(number[under] < 0, under, -1),
        [n.key.ordinal for n in nodes],
        names,
        number[under],
    )
    had = scene.placements
    rows = rows.and_(had)
    mine = np.concatenate(
        [rows.above[: len(order)], np.where(had.top, number[had.parents], rows.above[len(order) :])]
    )
    return replace(scene, placements=rows.hung(mine, rows.parents))


def unfolded(scene: Scene) -> Scene:
    """The scene with a node for every row; the same one where there are no rows. Kept while the scene
    lives.
    """
    every = np.ones(len(scene.placements), dtype=bool)
    return kept("unfolded", scene, lambda: as_nodes(scene, every)) if len(scene.placements) else scene


def as_nodes(scene: Scene, which: npt.NDArray[np.bool_]) -> Scene:
    """The scene with nodes for the rows `which` (N,) and all they hang under; the others stay rows."""
    all_rows, first = scene.placements, len(scene.nodes)
    which = leading(all_rows.above, which)
    number = np.append(first + np.cumsum(which) - 1, -1)
    at = np.flatnonzero(which)
    nodes = [*scene.nodes, *row_nodes(all_rows.at(which), scene.digest)]
    under = np.where(all_rows.top, all_rows.parents, number[all_rows.above])[at]
    order = np.argsort(under, kind="stable")
    above, starts = np.unique(under[order], return_index=True)
    roots = scene.roots
    for parent, children in zip(above.tolist(), np.split(first + order, starts[1:])):
        if parent < 0:
            roots = (*roots, *children.tolist())
        else:
            nodes[parent] = replace(nodes[parent], children=(*nodes[parent].children, *children.tolist()))
    freed = ~all_rows.top & which[all_rows.above]
    rows = all_rows.hung(
        np.where(freed, -1, all_rows.above), np.where(freed, number[all_rows.above], all_rows.parents)
    )
    return replace(scene, nodes=tuple(nodes), roots=roots, placements=rows.at(~which))


def row_nodes(rows: Placements, digest: str) -> list[Node]:
    """The node of each row, without what is above and below it."""
    places, turns, scales, sheared = row_parts(rows)
    shown = (m if m != NOTHING else None for m in rows.of.tolist())
    columns: Any = zip(rows.ordinals.tolist(), rows.names, shown, places, turns, scales)
    out = [Node(Key(digest, "node", k), name, (), t, r, s, mesh=m) for k, name, m, t, r, s in columns]
    for k in np.flatnonzero(sheared).tolist():
        out[k] = Node(out[k].key, out[k].name, mesh=out[k].mesh, matrix=_locked(rows.squares[k]))
    return out


def row_depths(scene: Scene) -> npt.NDArray[np.intp]:
    """(N,) how deep each row stands in the tree, 0 for a root."""
    table = np.zeros(len(scene.nodes) + 1, np.intp)
    for n, _, depth in walk(scene):
        table[n] = depth + 1
    return table[scene.placements.parents] + depths(scene.placements.above)


def row_parts(rows: Placements) -> tuple[F64, F64, F64, npt.NDArray[np.bool_]]:
    """Translations (N, 3), quaternions (N, 4), scales (N, 3) of the rows, and which (N,) hold shear, that
    these cannot say.
    """
    places, turns, scales, _ = decompose_all(rows.squares)
    off = np.abs(compose(places, turns, scales) - rows.squares)[:, :3, :3].max(axis=(1, 2), initial=0.0)
    return (
        places,
        turns,
        scales,
        ~(off <= SHEAR * np.abs(rows.matrices[:, :, :3]).max(axis=(1, 2), initial=1e-300)),
    )
