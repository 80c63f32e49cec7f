"""Things of a level left out; what they led to stays where it is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.changes.emptying import without
from customs.grounds.things import Things, things_of
from customs.scene.model import Light, Scene
from customs.scene.placements import Placements
from customs.scene.prune import prune_content
from customs.scene.transforms import flat
from customs.scene.tree import parents

Mask = npt.NDArray[np.bool_]


def left_out(scene: Scene, things: Things, gone: Mask) -> Scene:
    """The scene without the things (T,) that are `gone`; the same scene where none is. What only led to them goes too."""
    if not gone.any():
        return scene
    count = len(things.nodes)
    nodes = list(scene.nodes)
    for n in things.nodes[gone[:count]].tolist():
        node = nodes[n]
        holds = tuple(h for h in node.holds if not isinstance(h, Light))
        nodes[n] = replace(node, mesh=None, skin=None, weights=None, holds=holds)
    stay = np.ones(len(scene.placements), bool)
    stay[things.rows[gone[count:]]] = False
    out = replace(scene, nodes=tuple(nodes), placements=bared(scene.placements, stay))
    bare = _leaves(out, set(things.nodes[gone[:count]].tolist()))
    return prune_content(without(out, bare) if bare else out, near=True)


def bared(rows: Placements, stay: Mask) -> Placements:
    """The rows that stay (N,), without those that then lead to nothing any more."""
    led = _leading(rows, np.ones(len(rows), bool))
    stay = stay.copy()
    for _ in range(len(rows)):
        idle = stay & ~rows.shows & led & ~_leading(rows, stay)
        if not idle.any():
            break
        stay &= ~idle
    return rows.at(stay)


def _leading(rows: Placements, stay: Mask) -> Mask:
    """(N,) rows that some row that stays hangs under."""
    out = np.zeros(len(rows), bool)
    under = rows.above[stay & (rows.above >= 0)]
    out[under] = True
    return out


def _leaves(scene: Scene, gone: set[int]) -> set[int]:
    """Nodes among `gone`, and those above them that then lead to nothing, that hold nothing."""
    led = set(scene.placements.parents.tolist())
    above, out = parents(scene), set[int]()
    waiting = list(gone)
    while waiting:
        n = waiting.pop()
        node = scene.nodes[n]
        if n in out or node.mesh is not None or node.holds or n in led:
            continue
        if any(c not in out for c in node.children):
            continue
        out.add(n)
        if above[n] >= 0:
            waiting.append(int(above[n]))
    return out


def flat_things(things: Things) -> Mask:
    """(T,) things that show something and are squeezed flat where they stand."""
    out = np.zeros(len(things), bool)
    shown = np.flatnonzero((things.mesh >= 0) & np.isfinite(things.matrices).all(axis=(1, 2)))
    out[shown] = flat(things.matrices[shown])
    return out


def without_flat(scene: Scene) -> Scene:
    """The scene without what is squeezed flat where it stands; the same where nothing is."""
    things = things_of(scene)
    return left_out(scene, things, flat_things(things))
