"""Flatten: mesh nodes move up to the depth the destination takes; nothing moves in world space."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.changes.clips import following
from customs.changes.emptying import rigged_nodes
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.folding import row_depths, row_worlds
from customs.scene.key import made_key
from customs.scene.model import Node, Remark, Scene
from customs.scene.old_keys import old_key
from customs.scene.placements import Placements
from customs.scene.prune import prune_nodes
from customs.scene.settings import Settings
from customs.scene.transforms import decompose
from customs.scene.tree import animated_nodes, joint_nodes, mesh_nodes, walk, world_matrices


class Flatten(Settings):
    """How deep a mesh may stand: 1 is directly under the root of the scene."""

    depth: int = Field(default=1, ge=1, le=64, description="levels")


def _without(node: Node, gone: set[int]) -> Node:
    left = tuple(c for c in node.children if c not in gone)
    return node if len(left) == len(node.children) else replace(node, children=left)


def _apply(scene: Scene, settings: Flatten, resources: Content, job: Job) -> Outcome:
    depth = {n: d for n, _, d in walk(scene)}
    world = world_matrices(scene)
    busy = animated_nodes(scene) | joint_nodes(scene)
    moving = rigged_nodes(scene)
    deep = [n for n in mesh_nodes(scene) if depth[n] >= settings.depth]
    held = {n for n in deep if scene.nodes[n].skin is None and n in moving}
    lift = [n for n in deep if n not in held]
    remarks = tuple(
        Remark("moves with its parent; left in place", scene.nodes[n].key) for n in deep if n in held
    )
    rows = _lifted_rows(scene, settings.depth)
    scene = scene if rows is scene.placements else replace(scene, placements=rows)
    if not lift:
        return Outcome(scene, remarks)
    nodes = list(scene.nodes)
    roots = list(scene.roots)
    went, loose = dict[int, int](), set[int]()
    for n in lift:
        old = nodes[n]
        if old.children or n in busy:
            nodes[n] = replace(old, mesh=None, skin=None)
            key = made_key(old.key, "flatten", old=old_key(scene.digest, "node", "flatten", n))
            made = replace(old, key=key, children=(), holds=(), made_from=(old.key, *old.made_from))
            nodes.append(_placed(made, world[n]))
            went[n] = len(nodes) - 1
            roots.append(went[n])
        else:
            nodes[n] = _placed(old, world[n])
            loose.add(n)
    nodes = [_without(m, loose) for m in nodes]
    at_top = set(roots)
    roots += [n for n in lift if n in loose and n not in at_top]
    lifted = replace(scene, nodes=tuple(nodes), roots=tuple(roots), clips=following(scene.clips, went))
    return Outcome(prune_nodes(lifted), remarks)


def _lifted_rows(scene: Scene, depth: int) -> Placements:
    """Placements that stand too deep hang under nothing, where they are in the world."""
    rows = scene.placements
    deep = (row_depths(scene) >= depth) & rows.shows
    if not deep.any():
        return rows
    own = np.where(deep[:, None, None], row_worlds(scene), rows.matrices)
    return rows.moved(own).hung(np.where(deep, -1, rows.above), np.where(deep, -1, rows.parents))


def _placed(node: Node, world: np.ndarray) -> Node:
    if node.skin is not None:
        return replace(
            node, translation=np.zeros(3), rotation=np.array([0, 0, 0, 1.0]), scale=np.ones(3), matrix=None
        )
    parts = decompose(world)
    if parts is None:
        return replace(node, matrix=world)
    return replace(node, translation=parts[0], rotation=parts[1], scale=parts[2], matrix=None)


register(
    Step(
        id="flatten",
        name="Flatten",
        desk="fit",
        order=32,
        about="Lifts meshes to the depth the destination takes, where they are in the world.",
        settings=Flatten,
        apply=_apply,
        summary=lambda s: "under root" if s.depth == 1 else f"{s.depth} levels",
        placements=True,
    )
)
