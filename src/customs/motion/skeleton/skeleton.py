"""A skeleton by itself: joints in order, who hangs under whom, where each rests."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from customs.scene.held import holds_nothing
from customs.scene.model import Scene
from customs.scene.tree import parents, walk, world_matrices

F64 = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Skeleton:
    """J joints: `nodes` (their numbers in the scene), `names`, `parent` (J,) among joints or −1, `rest` (J,
    4, 4) world.

    A joint's parent is the nearest joint above it, whatever nodes lie between.
    """

    nodes: tuple[int, ...]
    names: tuple[str, ...]
    parent: npt.NDArray[np.intp]
    rest: F64

    @property
    def count(self) -> int:
        """Joints."""
        return len(self.nodes)

    @cached_property
    def places(self) -> F64:
        """(J, 3) where each joint rests."""
        return self.rest[:, :3, 3]

    @cached_property
    def children(self) -> tuple[tuple[int, ...], ...]:
        """Joints directly under each."""
        out: list[list[int]] = [[] for _ in self.nodes]
        for k, up in enumerate(self.parent):
            if up >= 0:
                out[up].append(k)
        return tuple(tuple(c) for c in out)

    @cached_property
    def order(self) -> tuple[int, ...]:
        """Joints, parents before children."""
        out: list[int] = []
        stack = [k for k, up in enumerate(self.parent) if up < 0][::-1]
        while stack:
            k = stack.pop()
            out.append(k)
            stack.extend(reversed(self.children[k]))
        return tuple(out)

    @cached_property
    def along(self) -> F64:
        """(J,) way from the root along the bones (units)."""
        out = np.zeros(self.count)
        for k in self.order:
            up = self.parent[k]
            if up >= 0:
                out[k] = out[up] + float(np.linalg.norm(self.places[k] - self.places[up]))
        return out

    @cached_property
    def beyond(self) -> F64:
        """(J,) longest way along the bones from a joint to an end under it (units)."""
        out = np.zeros(self.count)
        for k in reversed(self.order):
            up = self.parent[k]
            if up >= 0:
                out[up] = max(out[up], out[k] + float(np.linalg.norm(self.places[k] - self.places[up])))
        return out

    @cached_property
    def under(self) -> npt.NDArray[np.intp]:
        """(J,) joints below each, itself counted."""
        out = np.ones(self.count, dtype=np.intp)
        for k in reversed(self.order):
            if self.parent[k] >= 0:
                out[self.parent[k]] += out[k]
        return out

    @cached_property
    def above(self) -> npt.NDArray[np.bool_]:
        """(J, J) True where the second is an ancestor of the first."""
        out = np.zeros((self.count, self.count), dtype=bool)
        for k in self.order:
            up = self.parent[k]
            if up >= 0:
                out[k] = out[up]
                out[k, up] = True
        return out

    @cached_property
    def size(self) -> float:
        """Diagonal of the joints' box (units), at least 1e-9."""
        return max(float(np.linalg.norm(np.ptp(self.places, axis=0))), 1e-9) if self.count else 1e-9


def skeleton_of(scene: Scene, skins: tuple[int, ...] | None = None) -> Skeleton:
    """The joints of `skins` (all when None): those of the first skin in its order, then what others add.

    A scene without skins gives every node that is no mesh, light or camera: files of clips alone.
    """
    numbers = range(len(scene.skins)) if skins is None else skins
    nodes = list(dict.fromkeys(j for s in numbers for j in scene.skins[s].joints))
    if not nodes:
        bare = [n for n, _, _ in walk(scene)]
        nodes = [n for n in bare if holds_nothing(scene.nodes[n])]
    above, at = parents(scene), {n: k for k, n in enumerate(nodes)}
    parent = np.full(len(nodes), -1, dtype=np.intp)
    for k, n in enumerate(nodes):
        up = above[n]
        while up >= 0 and up not in at:
            up = above[up]
        parent[k] = at.get(up, -1)
    world = world_matrices(scene)
    rest = np.stack([world[n] for n in nodes]) if nodes else np.zeros((0, 4, 4))
    return Skeleton(tuple(nodes), tuple(scene.nodes[n].name for n in nodes), parent, rest)
