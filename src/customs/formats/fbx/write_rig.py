"""Skins as clusters of weights, and the pose they were bound in."""

from __future__ import annotations

import itertools

import numpy as np
import numpy.typing as npt

from customs.formats.fbx.objects import Objects, matrix_values
from customs.formats.fbx.record import Long
from customs.formats.fbx.write_mesh import Points
from customs.scene.model import Scene, Skin
from customs.scene.transforms import inverse
from customs.scene.tree import mesh_nodes

F64 = npt.NDArray[np.float64]


def add_skin(
    skin: Skin, points: Points, geometry: int, mesh_world: F64, models: list[int], objects: Objects
) -> dict[int, F64]:
    """A cluster for every joint, with or without weights; the joints' bind matrices (4, 4) by node.

    A cluster keeps where its joint was (TransformLink) and the mesh in the joint's space (Transform): the
    second is the inverse bind matrix, and TransformLink = mesh · inverse bind⁻¹, so that the mesh stands
    where it was bound.
    """
    id_, record = objects.add("Deformer", skin.name, "Deformer", "Skin")
    record.add("Version", 101)
    record.add("Link_DeformAcuracy", 50.0)
    objects.link(id_, geometry)
    bound: dict[int, F64] = {}
    members = _members(points, len(skin.joints))
    for k, joint in enumerate(skin.joints):
        cluster, entry = objects.add("Deformer", f"{skin.name} {k}", "SubDeformer", "Cluster")
        entry.add("Version", 100)
        entry.add("UserData", "", "")
        rows, weights = members[k]
        if len(rows):
            entry.add("Indexes", rows.astype("<i4"))
            entry.add("Weights", weights.astype("<f8"))
        link = mesh_world @ inverse(skin.inverse_bind[k])
        entry.add("Transform", matrix_values(skin.inverse_bind[k]))
        entry.add("TransformLink", matrix_values(link))
        objects.link(cluster, id_)
        objects.link(models[joint], cluster)
        bound[joint] = link
    return bound


def _members(points: Points, joints: int) -> list[tuple[npt.NDArray[np.intp], npt.NDArray[np.float32]]]:
    """(points, weights) of each joint."""
    if points.joints is None or points.weights is None:
        return [(np.zeros(0, np.intp), np.zeros(0, np.float32))] * joints
    rows, slots = np.nonzero(points.weights)
    owner = points.joints[rows, slots]
    weights = points.weights[rows, slots]
    order = np.argsort(owner, kind="stable")
    cuts = np.searchsorted(owner[order], np.arange(joints + 1))
    return [(rows[order[a:b]], weights[order[a:b]]) for a, b in itertools.pairwise(cuts)]


def add_pose(scene: Scene, models: list[int], world: F64, bound: dict[int, F64], objects: Objects) -> None:
    """The bind pose: every joint where it was bound, every mesh where it stands."""
    _, record = objects.add("Pose", "bind pose", "Pose", "BindPose")
    record.add("Type", "BindPose")
    record.add("Version", 100)
    places = {n: world[n] for n in mesh_nodes(scene)} | bound
    record.add("NbPoseNodes", len(places))
    for n, matrix in places.items():
        entry = record.add("PoseNode")
        entry.add("Node", Long(models[n]))
        entry.add("Matrix", matrix_values(matrix))
