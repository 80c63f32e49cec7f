"""Nodes that only repeat a mesh become rows of placements, and rows become nodes again for who does not know them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.kept import kept
from customs.scene.key import Key
from customs.scene.model import Node, Scene
from customs.scene.placements import Placements, table
from customs.scene.prune import with_nodes
from customs.scene.transforms import compose, decompose_all
from customs.scene.tree import animated_nodes, joint_nodes, local_matrices, mesh_nodes, parents, walk, world_matrices

F64 = npt.NDArray[np.float64]
LEAST = 32
"""Nodes that show one mesh before they are a table (common practice: fewer are quicker one by one)."""
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
        return tuple(RowName(Key(digest, "node", k), name) for k, name in zip(rows.ordinals.tolist(), rows.names))

    return kept("row names", rows, find)


def row_worlds(scene: Scene) -> F64:
    """World transforms (N, 3, 4) float64 of all rows at rest, read-only. Kept while the scene lives."""
    return kept("rows in the world", scene, lambda: _locked(rows_under(scene, world_matrices(scene))))


def rows_under(scene: Scene, worlds: F64) -> F64:
    """World transforms (N, 3, 4) of rows whose nodes stand at `worlds` (nodes, 4, 4)."""
    rows = scene.placements
    if not len(rows):
        return np.zeros((0, 3, 4))
    above = np.concatenate([worlds, np.eye(4)[None]])[rows.parents]
    return above[:, :3, :3] @ rows.matrices + np.concatenate([np.zeros((len(rows), 3, 3)), above[:, :3, 3:]], axis=2)


def _locked(values: F64) -> F64:
    values.flags.writeable = False
    return values


def shown_times(scene: Scene) -> list[int]:
    """How often nodes in the tree and rows show each mesh."""
    by_nodes = np.array([scene.nodes[n].mesh for n in mesh_nodes(scene)], dtype=np.intp)
    count = len(scene.meshes)
    return (np.bincount(by_nodes, minlength=count) + np.bincount(scene.placements.of, minlength=count)).tolist()


def fold(scene: Scene) -> Scene:
    """Nodes without children that only show a mesh, LEAST of one mesh or more, as rows, and fewer rows as nodes; the same scene
    where there are none of either.

    Joints, what clips move and all below them, skinned, morphed and sheared nodes, and nodes that hold or say anything else stay
    nodes.
    """
    few = np.bincount(scene.placements.of, minlength=len(scene.meshes))[scene.placements.of] < LEAST
    if few.any():
        scene = as_nodes(scene, few)
    if len(scene.nodes) < LEAST:
        return scene
    found = [i for i in _simple(scene) if _plain(scene.nodes[i], scene.digest)]
    of = np.array([scene.nodes[i].mesh for i in found], dtype=np.intp)
    many = np.bincount(np.concatenate([of, scene.placements.of]), minlength=len(scene.meshes)) >= LEAST
    gone = [i for i, m in zip(found, of.tolist()) if many[m]]
    if not gone:
        return scene
    rows = scene.placements.and_(_rows(scene, gone))
    left = np.ones(len(scene.nodes), dtype=bool)
    left[gone] = False
    return with_nodes(replace(scene, placements=rows), {old: new for new, old in enumerate(np.flatnonzero(left).tolist())})


def _rows(scene: Scene, which: list[int]) -> Placements:
    """Nodes as rows, in the order of their Keys."""
    order = sorted(which, key=lambda i: scene.nodes[i].key.ordinal)
    nodes = [scene.nodes[i] for i in order]
    return table(
        [n.mesh for n in nodes], local_matrices(scene)[order], np.array(parents(scene), np.int32)[order],
        [n.key.ordinal for n in nodes], tuple(n.name for n in nodes),
    )  # fmt: skip


def _simple(scene: Scene) -> Iterable[int]:
    """Nodes in the tree that do not move, are no joints and hang under none."""
    busy = animated_nodes(scene) | joint_nodes(scene) | {s.root for s in scene.skins}
    busy |= {c.node for clip in scene.clips for c in clip.channels}
    moving: set[int] = set()
    for n, parent, _ in walk(scene):
        if n in busy or parent in moving:
            moving.add(n)
        elif not scene.nodes[n].children:
            yield n


def _plain(node: Node, digest: str) -> bool:
    """True for a node that says no more than a row can."""
    return (
        node.mesh is not None and node.matrix is None and node.skin is None and not node.holds and node.weights is None
        and not node.bone and not node.extras and not node.made_from and node.key.kind == "node" and node.key.digest == digest
    )  # fmt: skip


def unfolded(scene: Scene) -> Scene:
    """The scene with a node for every row; the same one where there are no rows. Kept while the scene lives."""
    every = np.ones(len(scene.placements), dtype=bool)
    return kept("unfolded", scene, lambda: as_nodes(scene, every)) if len(scene.placements) else scene


def as_nodes(scene: Scene, which: npt.NDArray[np.bool_]) -> Scene:
    """The scene with nodes for the rows `which` (N,); the others stay rows."""
    rows, first = scene.placements.at(which), len(scene.nodes)
    nodes = [*scene.nodes, *row_nodes(rows, scene.digest)]
    order = np.argsort(rows.parents, kind="stable")
    above, starts = np.unique(rows.parents[order], return_index=True)
    roots = scene.roots
    for parent, children in zip(above.tolist(), np.split(first + order, starts[1:])):
        if parent < 0:
            roots = (*roots, *children.tolist())
        else:
            nodes[parent] = replace(nodes[parent], children=(*nodes[parent].children, *children.tolist()))
    return replace(scene, nodes=tuple(nodes), roots=roots, placements=scene.placements.at(~which))


def row_nodes(rows: Placements, digest: str) -> list[Node]:
    """The node of each row, without its parent."""
    places, turns, scales, sheared = row_parts(rows)
    columns: Any = zip(rows.ordinals.tolist(), rows.names, rows.of.tolist(), places, turns, scales)
    out = [Node(Key(digest, "node", k), name, (), t, r, s, mesh=m) for k, name, m, t, r, s in columns]
    for k in np.flatnonzero(sheared).tolist():
        out[k] = Node(out[k].key, out[k].name, mesh=out[k].mesh, matrix=_locked(rows.squares[k]))
    return out


def row_depths(scene: Scene) -> npt.NDArray[np.intp]:
    """(N,) how deep each row stands in the tree, 0 for a root."""
    table = np.zeros(len(scene.nodes) + 1, np.intp)
    for n, _, depth in walk(scene):
        table[n] = depth + 1
    return table[scene.placements.parents]


def row_parts(rows: Placements) -> tuple[F64, F64, F64, npt.NDArray[np.bool_]]:
    """Translations (N, 3), quaternions (N, 4), scales (N, 3) of the rows, and which (N,) hold shear, that these cannot say."""
    places, turns, scales, _ = decompose_all(rows.squares)
    off = np.abs(compose(places, turns, scales) - rows.squares)[:, :3, :3].max(axis=(1, 2), initial=0.0)
    return places, turns, scales, ~(off <= SHEAR * np.abs(rows.matrices[:, :, :3]).max(axis=(1, 2), initial=1e-300))
