"""Levels of detail that came along: told by their names, by standing side by side, and by the nearness of their boxes."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import triangles_of
from customs.motion.posing.pose import posed_scene_points
from customs.scene.kept import kept
from customs.scene.model import Scene
from customs.scene.tree import mesh_nodes, parents

F64 = npt.NDArray[np.float64]
AFTER = re.compile(r"(?P<base>.*?)[ _.\-]*lod[ _.\-]*(?P<level>\d{1,2})(?:[ _.\-].*)?", re.IGNORECASE)
BEFORE = re.compile(r"lod[ _.\-]*(?P<level>\d{1,2})[ _.\-]+(?P<base>.+)", re.IGNORECASE)
"""How levels are named: the thing, LOD and a number, or LOD, a number and the thing (common practice)."""
NEAR = 0.15
"""Of the size, how far the boxes of two levels may lie apart: coarser ones lose their tips."""


@dataclass(frozen=True)
class Family:
    """Levels of one thing: `members` are (level, node), the finest first; `triangles` of each."""

    name: str
    members: tuple[tuple[int, int], ...]
    triangles: tuple[int, ...]


def families(scene: Scene) -> tuple[Family, ...]:
    """All families of a scene, kept while it lives."""
    return kept("families of levels", scene, lambda: tuple(_families(scene)))


def _families(scene: Scene) -> Iterator[Family]:
    found: dict[tuple[int, str], dict[int, int]] = {}
    above = parents(scene)
    for n, node in enumerate(scene.nodes):
        match = BEFORE.fullmatch(node.name) or AFTER.fullmatch(node.name)
        if match is not None:
            found.setdefault((above[n], match["base"].lower()), {}).setdefault(int(match["level"]), n)
    if not found:
        return
    # The finest may go by the plain name.
    for n, node in enumerate(scene.nodes):
        group = found.get((above[n], node.name.lower()))
        if group is not None and n not in group.values() and 0 not in group:
            group[0] = n
    boxes, counts = _measured(scene)
    for (_, base), group in found.items():
        there = [(level, n) for level, n in sorted(group.items()) if counts[n]]
        if len(there) < 2:
            continue
        # Numbers say the order; where triangles say another, they count.
        there.sort(key=lambda pair: (-counts[pair[1]], pair[0]))
        alike = [pair for pair in there if _near(boxes[there[0][1]], boxes[pair[1]])]
        if len(alike) > 1:
            name = base or scene.nodes[there[0][1]].name
            yield Family(name, tuple(alike), tuple(counts[n] for _, n in alike))


def _measured(scene: Scene) -> tuple[dict[int, tuple[F64, F64]], dict[int, int]]:
    """Box and triangles of what each node leads to, its own mesh and those below it."""
    low = np.full((len(scene.nodes), 3), np.inf)
    high, counts = -low, np.zeros(len(scene.nodes), np.int64)
    points, above, k = posed_scene_points(scene), parents(scene), 0
    for n in mesh_nodes(scene):
        for prim in scene.meshes[scene.nodes[n].mesh or 0].primitives:
            some, k = points[k], k + 1
            good = some[np.isfinite(some).all(axis=1)]
            at = n
            while at >= 0:
                counts[at] += len(triangles_of(prim))
                if len(good):
                    low[at], high[at] = (
                        np.minimum(low[at], good.min(axis=0)),
                        np.maximum(high[at], good.max(axis=0)),
                    )
                at = above[at]
    return {n: (low[n], high[n]) for n in range(len(scene.nodes))}, dict(enumerate(counts.tolist()))


def _near(a: tuple[F64, F64], b: tuple[F64, F64]) -> bool:
    size = float(np.linalg.norm(a[1] - a[0]))
    off = float(np.abs(np.stack(a) - np.stack(b)).max())
    return bool(np.isfinite(off)) and off <= NEAR * max(size, 1e-9)
