"""Figures of a scene a window shows, taken once and kept as long as the scene lives.

The worker takes them when it evaluates; the interface thread then only looks them up.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.counts import counts
from customs.grounds.things import bulk_box
from customs.motion.posing.bounds import world_bounds
from customs.scene.kept import kept
from customs.scene.model import Scene

F64 = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Measures:
    """`box` (low (3,), high (3,)) in the scene's own unit, or None when empty; `counts` as in a docket; `bulk` is the box of most of a
    level, without what stands around it and far away.
    """

    box: tuple[F64, F64] | None
    counts: dict[str, int]
    bulk: tuple[F64, F64] | None = None

    @property
    def height(self) -> float:
        """Extent along Y, 0 when empty."""
        return float((self.box[1] - self.box[0])[1]) if self.box else 0.0


def measure(scene: Scene) -> Measures:
    """The figures of a scene."""
    return kept("measures", scene, lambda: Measures(world_bounds(scene), counts(scene), bulk_box(scene)))
