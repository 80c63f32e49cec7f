"""How large a level is by what everybody knows the size of: doors and steps."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import face_vectors, triangles_of
from customs.grounds.kinds import words_in
from customs.grounds.things import things_of
from customs.scene.model import Mesh, Scene

F64 = npt.NDArray[np.float64]
DOOR, STEP = (2.0, 2.1), (0.15, 0.18)
"""Metres a door is high and a step rises (common practice)."""
FACTORS = (0.01, 0.0254, 0.1, 0.3048, 0.5, 1.0, 2.0, 3.28084, 10.0, 39.37, 100.0)
"""Factors between units people mistake for each other."""
SLACK = 1.15
"""How far from the usual something may be and still be right."""
DOORS, STEPS = frozenset({"door", "doorway"}), frozenset({"stair", "staircase", "step"})
LEAST_STEPS = 3


@dataclass(frozen=True)
class Evidence:
    """What was measured: a thing of a name `is` so many metres, `low` to `high` is usual."""

    name: str
    what: str
    is_: float
    low: float
    high: float

    @property
    def factor(self) -> float:
        """What would make it right, 1 where it is."""
        if self.low / SLACK <= self.is_ <= self.high * SLACK:
            return 1.0
        return (self.low + self.high) / 2 / self.is_

    def text(self) -> str:
        """In words."""
        return f"{self.what} {self.name} {self.is_:.3g} m (usual {self.low:g}–{self.high:g} m)"


def evidence(scene: Scene) -> tuple[Evidence, ...]:
    """Every door and stair by its mesh, the most frequent first, at the size most of them stand in."""
    things = things_of(scene)
    meshes, counts = np.unique(things.mesh[things.mesh >= 0], return_counts=True)
    first = dict(zip(*np.unique(things.mesh, return_index=True)))
    out = []
    for m in meshes[np.argsort(-counts, kind="stable")].tolist():
        mesh = scene.meshes[m]
        words = words_in(mesh.name) | words_in(str(things.names[first[m]]))
        if not words & (DOORS | STEPS):
            continue
        at = np.flatnonzero(things.mesh == m)
        tall = float(np.median(np.linalg.norm(things.matrices[at][:, :, 1], axis=1)))
        height = float(np.median(things.size[at, 1]))
        if words & DOORS and height > 0:
            out.append(Evidence(mesh.name, "door", height, *DOOR))
        elif words & STEPS and (rise := step_rise(mesh)) is not None:
            out.append(Evidence(mesh.name, "step of", rise * tall, *STEP))
    return tuple(out)


def step_rise(mesh: Mesh) -> float | None:
    """Metres from tread to tread of a mesh, None where it has too few: heights of faces that look up, those with most of the area."""
    heights, areas = [], []
    for p in mesh.primitives:
        faces = triangles_of(p)
        points = p.positions.astype(np.float64)
        normals = face_vectors(points, faces).astype(np.float64)
        length = np.linalg.norm(normals, axis=1)
        flat = normals[:, 1] > 0.98 * np.maximum(length, 1e-12)
        heights.append(points[faces[flat], 1].mean(axis=1))
        areas.append(length[flat])
    if not heights:
        return None
    y, area = np.concatenate(heights), np.concatenate(areas)
    if len(y) < LEAST_STEPS:
        return None
    low, reach = float(y.min()), float(np.ptp(y))
    slots = np.round((y - low) / max(reach, 1e-9) * 400).astype(np.intp)
    total = np.bincount(slots, area)
    levels = np.flatnonzero(total > 0.25 * np.median(total[total > 0])) / 400 * reach
    return float(np.median(np.diff(levels))) if len(levels) >= LEAST_STEPS else None


def proposal(found: tuple[Evidence, ...]) -> float:
    """The factor that makes most of it right: a usual one between units where that is near, else the exact one; 1 where it is right or
    nothing is known.
    """
    factors = np.array([e.factor for e in found])
    if not len(factors) or (factors == 1.0).mean() >= 0.5:
        return 1.0
    wanted = float(np.exp(np.median(np.log(factors[factors != 1.0]))))
    near = min(FACTORS, key=lambda f: abs(np.log(f / wanted)))
    return near if abs(np.log(near / wanted)) < np.log(SLACK) else wanted
