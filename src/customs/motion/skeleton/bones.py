"""Skeletons as node trees: taken alone, and taken away."""

from __future__ import annotations

from dataclasses import replace

from customs.scene.held import holds_nothing
from customs.scene.model import Scene
from customs.scene.placements import NO_PLACEMENTS
from customs.scene.prune import prune
from customs.scene.tree import animated_nodes, joint_nodes, parents


def bones_of(scene: Scene) -> Scene:
    """The skeleton alone: joints, what clips move, and all above them; no meshes, placements, cameras or
    lights.
    """
    above = parents(scene)
    kept: set[int] = set()
    for n in joint_nodes(scene) | animated_nodes(scene):
        while n >= 0 and n not in kept:
            kept.add(n)
            n = above[n]
    nodes = tuple(
        replace(
            n,
            mesh=None,
            skin=None,
            holds=(),
            weights=None,
            children=tuple(c for c in n.children if c in kept),
        )
        for n in scene.nodes
    )
    roots = tuple(r for r in scene.roots if r in kept)
    return prune(replace(scene, nodes=nodes, roots=roots, placements=NO_PLACEMENTS, clips=(), variants=()))


def without_bones(scene: Scene, before: Scene) -> Scene:
    """Without joint nodes of `before` (and what is above them alone) that hold nothing in `scene`."""
    joints = joint_nodes(before) | {i for i, n in enumerate(before.nodes) if n.skin is not None}

    def holds(n: int) -> bool:
        node = scene.nodes[n]
        own = not holds_nothing(node) or n not in joints
        return (own and (n not in joints or node.mesh is not None)) or any(holds(c) for c in node.children)

    nodes = tuple(replace(n, children=tuple(c for c in n.children if holds(c))) for n in scene.nodes)
    return replace(scene, nodes=nodes, roots=tuple(r for r in scene.roots if holds(r)))


def above_joints(scene: Scene) -> set[int]:
    """Joints and all nodes above them."""
    above, out = parents(scene), set[int]()
    for n in joint_nodes(scene):
        while n >= 0 and n not in out:
            out.add(n)
            n = above[n]
    return out
