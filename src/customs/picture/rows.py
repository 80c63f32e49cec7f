"""Placements as they are drawn: mesh by mesh, all its rows in one call; the largest on the screen where not
all can be.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import triangles_of
from customs.motion.posing.bounds import local_bounds
from customs.motion.posing.posing import posing
from customs.picture.camera import ray_through
from customs.picture.look import Shot
from customs.scene.folding import rows_under
from customs.scene.kept import kept
from customs.scene.model import Scene

F64 = npt.NDArray[np.float64]
FEW = 500
"""Rows that are all looked at for what lies under a pixel."""


@dataclass(frozen=True, eq=False)
class Group:
    """Rows of one mesh that are all mirrored or all not: `rows` (M,) their numbers, `matrices` (M, 3, 4)
    float32, world transforms in metres; `far` metres from the eye to the nearest.
    """

    mesh: int
    matrices: npt.NDArray[np.float32]
    mirrored: bool
    far: float
    rows: npt.NDArray[np.intp]

    def only(self, rows: npt.NDArray[np.intp]) -> Group:
        """Those of its rows that are among `rows`."""
        mine = np.isin(self.rows, rows)
        return replace(self, matrices=self.matrices[mine], rows=self.rows[mine])


def marked_rows(scene: Scene, marks: Iterable[str]) -> npt.NDArray[np.intp]:
    """Numbers of the rows whose Keys are among `marks`."""
    start = f"{scene.digest}:node:"
    numbers = [int(n) for m in marks if m.startswith(start) and (n := m.removeprefix(start)).isdecimal()]
    return np.flatnonzero(np.isin(scene.placements.ordinals, numbers))


def groups(
    scene: Scene, worlds: F64, unit: float, eye: F64, which: npt.NDArray[np.bool_] | None = None
) -> list[Group]:
    """The rows of a scene whose nodes stand at `worlds` (nodes, 4, 4), or `which` (N,) of them."""
    rows = scene.placements
    if not len(rows) or (which is not None and not which.any()):
        return []
    placed = rows_under(scene, worlds) * unit
    apart = np.linalg.norm(placed[:, :, 3] - eye, axis=1)
    chosen = np.flatnonzero(rows.shows if which is None else rows.shows & which)
    turned = np.linalg.det(placed[chosen][:, :, :3]) < 0
    label = rows.of[chosen].astype(np.int64) * 2 + turned
    order = np.argsort(label, kind="stable")
    found, starts = np.unique(label[order], return_index=True)
    return [
        Group(k // 2, placed[at].astype(np.float32), bool(k % 2), float(apart[at].min()), at)
        for k, at in zip(found.tolist(), np.split(chosen[order], starts[1:]))
    ]


def placed_triangles(scene: Scene) -> int:
    """Triangles of all rows."""
    return kept("triangles of rows", scene, lambda: _placed_triangles(scene)) if len(scene.placements) else 0


def _placed_triangles(scene: Scene) -> int:
    times = scene.placements.times(len(scene.meshes))
    return sum(
        int(times[k]) * len(triangles_of(p))
        for k in scene.placements.meshes
        for p in scene.meshes[k].primitives
    )


def balls(scene: Scene) -> tuple[F64, F64]:
    """(middle (M, 3), radius (M,)) of a ball around each mesh, in its own units. Kept while the scene lives."""
    return kept("balls", scene, lambda: _balls(scene))


def _balls(scene: Scene) -> tuple[F64, F64]:
    middle, radius = np.zeros((len(scene.meshes), 3)), np.zeros(len(scene.meshes))
    for k in scene.placements.meshes:
        boxes = [local_bounds(p) for p in scene.meshes[k].primitives]
        if boxes:
            low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
            middle[k], radius[k] = (low + high) / 2, float(np.linalg.norm(high - low)) / 2
    return middle, radius


def under_pixel(shot: Shot, x: int, y: int) -> npt.NDArray[np.bool_] | None:
    """(N,) rows whose balls the line of sight through a pixel meets; None where there are few rows, which all may be."""
    scene = shot.scene
    rows = scene.placements
    if len(rows) < FEW:
        return None
    clip = None if shot.clip is None else scene.clips[shot.clip]
    placed = rows_under(scene, posing(scene, clip).world(shot.seconds)) * shot.unit
    middle, radius = balls(scene)
    of = np.where(rows.shows, rows.of, 0).astype(np.intp)
    at = np.einsum("nij,nj->ni", placed[:, :, :3], middle[of]) + placed[:, :, 3]
    reach = radius[of] * np.linalg.norm(placed[:, :, :3], axis=1).max(axis=1)
    eye, way = ray_through(shot.orbit, shot.width, shot.height, x + 0.5, y + 0.5)
    off = np.linalg.norm(np.cross(at - eye, way), axis=1)
    return np.asarray(rows.shows & (off <= reach * 1.01 + 1e-6))
