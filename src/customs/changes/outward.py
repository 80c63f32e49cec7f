"""Normals that go with faces turned over."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.changes.primitives import as_triangles, with_faces
from customs.geometry.triangles import face_vectors, triangles_of
from customs.scene.arrays import frozen
from customs.scene.model import Primitive


def normals_follow(prim: Primitive, turned: npt.NDArray[np.bool_]) -> Primitive:
    """Normals of vertices only turned faces use, and that now point away from their faces, are reversed.

    `turned` (F,) are the faces turned over. Tangents lose their meaning there and are dropped.
    """
    if prim.normals is None:
        return replace(prim, tangents=None)
    faces = triangles_of(prim)
    vectors = face_vectors(prim.positions, faces)
    towards = np.zeros(len(prim.positions))
    for c in range(3):
        dot = np.einsum("ij,ij->i", vectors, prim.normals[faces[:, c]])
        towards += np.bincount(faces[:, c], weights=np.where(turned, dot, 0), minlength=len(towards))
    normals = np.where((towards < 0)[:, None], -prim.normals, prim.normals)
    return replace(prim, normals=frozen(normals), tangents=None)


def against(prim: Primitive) -> int:
    """Faces whose corner normals all point to their back."""
    if prim.normals is None:
        return 0
    faces = triangles_of(prim)
    vectors = face_vectors(prim.positions, faces)
    back = np.ones(len(faces), dtype=bool)
    for c in range(3):
        back &= np.einsum("ij,ij->i", vectors, prim.normals[faces[:, c]]) < 0
    return int(back.sum())


def turned_over(prim: Primitive) -> Primitive:
    """All faces the other way round, and their normals with them."""
    whole = as_triangles(prim)
    faces = triangles_of(whole)
    if not len(faces):
        return prim
    every = np.ones(len(faces), bool)
    return normals_follow(with_faces(whole, faces[:, ::-1], every), every)
