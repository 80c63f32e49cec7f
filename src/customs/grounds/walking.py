"""What a person who walks through a level stands on."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import triangles_of
from customs.grounds.things import things_of
from customs.scene.model import Scene

F64 = npt.NDArray[np.float64]
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
    best, looked = None, 0
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
            heights = _heights(points[faces[:, 0]], points[faces[:, 1]], points[faces[:, 2]], x, z)
            heights = heights[heights <= feet + STEP_UP]
            if len(heights) and (best is None or heights.max() > best):
                best = float(heights.max())
    return best


def _heights(a: F64, b: F64, c: F64, x: float, z: float) -> F64:
    """Heights at which the line straight down at `x`, `z` meets triangles: by their coordinates in the plan."""
    u, v = b - a, c - a
    det = u[:, 0] * v[:, 2] - u[:, 2] * v[:, 0]
    good = np.abs(det) > 1e-12
    u, v, a, det = u[good], v[good], a[good], det[good]
    dx, dz = x - a[:, 0], z - a[:, 2]
    s = (dx * v[:, 2] - dz * v[:, 0]) / det
    t = (u[:, 0] * dz - u[:, 2] * dx) / det
    inside = (s >= 0) & (t >= 0) & (s + t <= 1)
    return np.asarray((a[:, 1] + s * u[:, 1] + t * v[:, 1])[inside])
