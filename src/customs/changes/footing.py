"""The point of an asset its origin is put at."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.conventions.origin import Footing
from customs.geometry.triangles import face_vectors, triangles_of
from customs.motion.posing.bounds import world_bounds
from customs.motion.posing.pose import posed_positions
from customs.scene.folding import unfolded
from customs.scene.model import Scene
from customs.scene.tree import mesh_nodes, world_matrices

F64 = npt.NDArray[np.float64]


def footing_point(scene: Scene, kind: Footing, point: tuple[float, float, float]) -> F64 | None:
    """World point (3,) metres that becomes the origin, or None when there is nothing to do."""
    box = world_bounds(scene)
    if kind == "as-received" or box is None:
        return None
    if kind == "point":
        return np.array(point)
    low, high = box
    middle = (low + high) / 2
    if kind == "box-centre":
        return middle
    if kind == "mass-centre":
        return mass_centre(scene)
    return np.array([middle[0], low[1], middle[2]])


def mass_centre(scene: Scene) -> F64:
    """Centre (3,) of the surface, weighted by area: it is defined for open meshes too."""
    scene = unfolded(scene)
    world = world_matrices(scene)
    total, moment = 0.0, np.zeros(3)
    for n in mesh_nodes(scene):
        for p in scene.meshes[scene.nodes[n].mesh or 0].primitives:
            faces = triangles_of(p)
            if not len(faces):
                continue
            points = posed_positions(scene, n, p, world)
            areas = np.linalg.norm(face_vectors(points, faces), axis=1)
            total += float(areas.sum())
            moment += areas @ points[faces].mean(axis=1)
    return moment / total if total > 0 else np.zeros(3)
