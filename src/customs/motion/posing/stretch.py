"""How far edges are drawn out while a clip plays."""

from __future__ import annotations

import weakref
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import triangles_of
from customs.motion.curves.track import frame_times
from customs.motion.posing.deviation import posed
from customs.scene.kept import kept
from customs.scene.model import Clip, Primitive, Scene
from customs.scene.tree import mesh_nodes

F64 = npt.NDArray[np.float64]
FRAMES = 40
"""Most frames of a clip that are looked at."""
TINY = 0.05
"""Edges shorter than this share of the median are left out: their ratio says nothing (ratio)."""


def stretch(scene: Scene, source: Scene, clip: Clip, share: float = 99.9) -> float:
    """Length of edges over their length at rest at the `share` percentile, the worst frame of a clip of
    `source`.

    The clip is played on the nodes of `scene` by name. Kept while the scene lives.
    """
    known: weakref.WeakKeyDictionary[Clip, dict[float, float]] = kept(
        "stretch", scene, weakref.WeakKeyDictionary
    )
    table = known.setdefault(clip, {})
    if share not in table:
        table[share] = _stretch(scene, on_names(scene, source, clip), share)
    return table[share]


def on_names(scene: Scene, source: Scene, clip: Clip) -> Clip:
    """A clip of `source` on the nodes of `scene` that have the same names."""
    at = {n.name: i for i, n in enumerate(scene.nodes)}
    kept = [c for c in clip.channels if c.path != "weights" and source.nodes[c.node].name in at]
    return replace(clip, channels=tuple(replace(c, node=at[source.nodes[c.node].name]) for c in kept))


def _stretch(scene: Scene, clip: Clip, share: float) -> float:
    edges = [_edges(p) for n in mesh_nodes(scene) for p in scene.meshes[scene.nodes[n].mesh or 0].primitives]
    rest = [_lengths(points, e) for points, e in zip(posed(scene, None, [0.0])[0], edges)]
    times = frame_times(clip, 30.0)
    if len(times) > FRAMES:
        times = times[np.linspace(0, len(times) - 1, FRAMES).astype(int)]
    every = np.concatenate(rest) if rest else np.zeros(0)
    if not len(every):
        return 1.0
    count = every > TINY * float(np.median(every))
    worst = 1.0
    for frame in posed(scene, clip, times):
        now = np.concatenate([_lengths(points, e) for points, e in zip(frame, edges)])
        worst = max(worst, float(np.percentile(now[count] / every[count], share)))
    return worst


def _edges(prim: Primitive) -> npt.NDArray[np.int64]:
    faces = triangles_of(prim).astype(np.int64)
    pairs = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    return np.unique(np.sort(pairs, axis=1), axis=0)


def _lengths(points: F64, edges: npt.NDArray[np.int64]) -> F64:
    return np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1)
