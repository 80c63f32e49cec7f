"""Which joints of chains that swing are still there."""

from __future__ import annotations

from customs.scene.key import Key
from customs.scene.model import Collider, Scene
from customs.scene.prune import with_nodes


def nodes_by_key(scene: Scene) -> dict[Key, int]:
    """Number of the node that each Key means today, what it was made from included."""
    out: dict[Key, int] = {}
    for i, node in enumerate(scene.nodes):
        for key in (*node.made_from, node.key):
            out[key] = i
    return out


def swinging(scene: Scene) -> int:
    """Joints of chains that are still there."""
    if not scene.springs:
        return 0
    there = nodes_by_key(scene)
    return sum(j.node in there for s in scene.springs for j in s.joints)


def without_colliders(scene: Scene) -> Scene:
    """The scene without nodes that stand there for a collider alone."""
    alone = {
        i
        for i, n in enumerate(scene.nodes)
        if n.holds and not n.children and n.mesh is None and all(isinstance(h, Collider) for h in n.holds)
    }
    kept = [i for i in range(len(scene.nodes)) if i not in alone]
    return with_nodes(scene, {old: new for new, old in enumerate(kept)}) if alone else scene
