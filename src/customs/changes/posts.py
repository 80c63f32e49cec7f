"""Posts: named points on an asset, each a node whose own transform is the post's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from customs.scene.key import Key, made_key
from customs.scene.model import Node, Post, Remark, Scene
from customs.scene.transforms import decompose
from customs.scene.tree import world_matrices

F64 = npt.NDArray[np.float64]
Three = tuple[float, float, float]


@dataclass(frozen=True)
class Placed:
    """A post as it is wished for: where it stands (metres, or from its joint) and points, what hangs there."""

    name: str
    at: Three
    points: Three = (0.0, 0.0, 1.0)
    joint: str = ""
    attached: str = ""
    thing: Scene | None = None


def frame_along(direction: Sequence[float]) -> F64:
    """(3, 3) right-handed axes as columns, the third along `direction` (3,), the second as far up as may be."""
    z = np.asarray(direction, np.float64)
    z = z / np.linalg.norm(z)
    up = np.array([0.0, 1.0, 0.0]) if abs(z[1]) < 0.999 else np.array([0.0, 0.0, -np.sign(z[1])])
    x = np.cross(up, z)
    x /= np.linalg.norm(x)
    return np.stack([x, np.cross(z, x), z], axis=1)


def with_posts(scene: Scene, wished: Sequence[Placed]) -> tuple[Scene, list[Remark]]:
    """The scene with a node for each post, under its joint or at the root; places are of the asset as a whole, in metres."""
    nodes, roots, said = list(scene.nodes), list(scene.roots), list[Remark]()
    worlds = world_matrices(scene)
    source = scene.nodes[scene.roots[0]].key if scene.roots else Key(scene.digest, "node", 0)
    for post in wished:
        under = (
            next((k for k, n in enumerate(scene.nodes) if n.name == post.joint), None) if post.joint else None
        )
        if post.joint and under is None:
            said.append(Remark(f"{post.name}: {post.joint} is not here; it hangs at the root"))
        matrix = np.eye(4)
        matrix[:3, :3], matrix[:3, 3] = frame_along(post.points), post.at
        if under is not None:
            matrix = np.linalg.inv(worlds[under]) @ matrix
        key = made_key(source, "posts", post.name)
        node = Node(
            key,
            post.name,
            holds=(Post(key, post.name, "+Z", post.attached, post.thing),),
            made_from=(source,),
        )
        place = decompose(matrix)
        node = (
            replace(node, matrix=matrix)
            if place is None
            else replace(node, translation=place[0], rotation=place[1], scale=place[2])
        )
        if under is None:
            roots.append(len(nodes))
        else:
            nodes[under] = replace(nodes[under], children=(*nodes[under].children, len(nodes)))
        nodes.append(node)
    return replace(scene, nodes=tuple(nodes), roots=tuple(roots)), said


def posts_of(scene: Scene) -> list[tuple[int, Post]]:
    """(node, post) of all posts, in the order of the nodes."""
    return [(n, h) for n, node in enumerate(scene.nodes) for h in node.holds if isinstance(h, Post)]


AXES = {"X": 0, "Y": 1, "Z": 2}


def stands(post: Post, world: F64) -> tuple[F64, F64]:
    """Where (3,) a post stands and the unit vector (3,) it points along, by its node's world matrix (4, 4)."""
    way = world[:3, AXES[post.points[1]]] * (1 if post.points[0] == "+" else -1)
    length = float(np.linalg.norm(way))
    return world[:3, 3].copy(), way / length if length > 0 else way
