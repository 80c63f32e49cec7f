"""Terrain that looks the wrong way."""

from __future__ import annotations

import numpy as np

from customs.grounds.kinds import kinds_of
from customs.grounds.rules import TERRAIN
from customs.scene.model import Scene

DOWN = -0.5
"""Share of the area that looks up less what looks down, from which terrain is inside out."""


def turned_down(scene: Scene) -> list[int]:
    """Meshes that stand as terrain and look down, as most of their triangles and places have it."""
    found = kinds_of(scene)
    things = found.things
    terrain = np.flatnonzero(found.of(TERRAIN))
    if not len(terrain):
        return []
    mesh = things.mesh[terrain]
    # How a thing stands may turn it over, and mirror it.
    up = found.meshes.up[mesh] * np.sign(things.matrices[terrain, 1, 1])
    worst = np.full(len(scene.meshes), np.inf)
    np.minimum.at(worst, mesh, up)
    return np.flatnonzero(worst < DOWN).tolist()
