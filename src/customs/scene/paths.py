"""Index paths: where a node stands in the hierarchy, by child numbers from the root."""

from __future__ import annotations

from customs.scene.model import Scene
from customs.scene.tree import parents


def index_path(scene: Scene, node: int) -> str:
    """Child numbers from the root, as `0/29`: the first is the root's number among the scene's roots, each further one the
    number among the children of the one before. Rows of placements follow the nodes and do not move them. "" for a node
    outside the hierarchy.
    """
    above, out = parents(scene), list[int]()
    while above[node] >= 0:
        out.append(scene.nodes[above[node]].children.index(node))
        node = above[node]
    if node not in scene.roots:
        return ""
    return "/".join(str(k) for k in [scene.roots.index(node), *reversed(out)])


def node_at(scene: Scene, path: str) -> int | None:
    """The node at an index path; None where there is none."""
    level, found = scene.roots, None
    for part in path.split("/"):
        if not part.isdigit() or not part.isascii() or int(part) >= len(level):
            return None
        found = level[int(part)]
        level = scene.nodes[found].children
    return found
