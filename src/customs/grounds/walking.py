"""What a person who walks through a level stands on."""

from __future__ import annotations

import numpy as np

from customs.geometry.rays import hits
from customs.geometry.triangles import triangles_of
from customs.grounds.things import things_of
from customs.scene.model import Scene

EYE = 1.7
"""Metres from the ground to the eyes (common practice)."""
STEP_UP = 0.6
"""Metres a person steps up without being lifted."""
MOST = 200_000
"""Triangles that are looked at for one step."""


def ground_under(scene: Scene, x: float, z: float, feet: float) -> float | None:
    """Metres of the highest face at `x`, `z` that feet at a height can stand on, None where there is none."""
    things = things_of(scene)
    low, high = things.low, things.high
    with np.errstate(invalid="ignore"):
        over = (
            (low[:, 0] <= x)
            & (high[:, 0] >= x)
            & (low[:, 2] <= z)
            & (high[:, 2] >= z)
            & (low[:, 1] <= feet + STEP_UP)
        )
    best, looked, top = None, 0, feet + STEP_UP
    for t in np.flatnonzero(over)[
        np.argsort(-np.minimum(high[over, 1], feet + STEP_UP), kind="stable")
    ].tolist():
        if best is not None and high[t, 1] <= best:
            continue
        for p in scene.meshes[int(things.mesh[t])].primitives:
            faces = triangles_of(p)
            looked += len(faces)
            if looked > MOST:
                return best
            points = p.positions @ things.matrices[t, :, :3].T + things.matrices[t, :, 3]
            near = float(hits(points, faces, (x, top, z), (0.0, -1.0, 0.0)).min(initial=np.inf))
            if np.isfinite(near) and (best is None or top - near > best):
                best = top - near
    return best
