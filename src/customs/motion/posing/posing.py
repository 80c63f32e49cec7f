"""One moment of a clip, fast: what does not change from moment to moment is worked out once for a scene and a
clip.
"""

from __future__ import annotations

from collections import defaultdict

import numpy as np
import numpy.typing as npt

from customs.motion.curves.keys import sample
from customs.motion.curves.track import channels_of
from customs.scene.kept import latest
from customs.scene.model import Channel, Clip, Scene
from customs.scene.transforms import compose
from customs.scene.tree import levels, local_matrices, placed_in_world

F64 = npt.NDArray[np.float64]
WIDTHS = {"translation": 3, "rotation": 4, "scale": 3}


class Posing:
    """Matrices of all N nodes of a scene with a clip at any time. Holds neither the scene nor the clip."""

    def __init__(self, scene: Scene, clip: Clip | None) -> None:
        known = {at: c for at, c in channels_of(clip).items() if at[1] != "weights"}
        self._rest = local_matrices(scene)
        self._moved = sorted({node for node, _ in known})
        rows = {node: k for k, node in enumerate(self._moved)}
        self._parts = {
            path: np.stack([np.asarray(getattr(scene.nodes[n], path), dtype=np.float64) for n in self._moved])
            for path in WIDTHS
            if self._moved
        }
        self._runs = [
            (path, [rows[c.node] for c in run], _together(run)) for (path, *_), run in _runs(known).items()
        ]
        self._levels = levels(scene)

    def locals(self, seconds: float) -> F64:
        """Own matrices (N, 4, 4)."""
        out = self._rest.copy()
        if self._moved:
            parts = {path: rest.copy() for path, rest in self._parts.items()}
            for path, rows, run in self._runs:
                parts[path][rows] = sample(run, seconds)
            out[self._moved] = compose(parts["translation"], parts["rotation"], parts["scale"])
        return out

    def world(self, seconds: float) -> F64:
        """World matrices (N, 4, 4); nodes outside the tree stay at the identity."""
        return placed_in_world(self._levels, self.locals(seconds))


def _runs(known: dict[tuple[int, str], Channel]) -> dict[tuple[str, str, bytes], list[Channel]]:
    """Channels of one path and interpolation whose keys lie at the same times: they are sampled in one go."""
    out: dict[tuple[str, str, bytes], list[Channel]] = defaultdict(list)
    for c in known.values():
        out[c.path, c.interpolation, c.times.tobytes()].append(c)
    return out


def _together(run: list[Channel]) -> Channel:
    """One channel with values (K, C, width), or (K, 3, C, width) for cubic ones."""
    first = run[0]
    return Channel(
        first.node, first.path, first.times, np.stack([c.values for c in run], axis=-2), first.interpolation
    )


def posing(scene: Scene, clip: Clip | None) -> Posing:
    """The posing of a scene with a clip, the last one of each scene kept while the scene lives."""
    return latest("posing", scene, clip, lambda: Posing(scene, clip))
