"""Tangents: made for parts whose material has a normal map."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from customs.changes.materials import tangent_set
from customs.changes.primitives import as_triangles, map_primitives, take_vertices
from customs.geometry.tangents import face_tangents, mirrored_vertices, vertex_tangents
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.settings import Targeted


class Tangents(Targeted):
    """Which parts, and whether tangents go instead."""

    where: Literal["normal-mapped", "all", "drop"] = Field(default="normal-mapped", description="which parts")


def with_tangents(prim: Primitive, texcoord: int) -> Primitive:
    """A triangle list with tangents for UV set `texcoord`; vertices both UV directions share are split
    first.
    """
    out = as_triangles(prim)
    faces = triangles_of(out)
    _, sign = face_tangents(out.positions, out.texcoords[texcoord], faces)
    shared = mirrored_vertices(sign, faces, len(out.positions))
    if shared.any():
        rows = np.concatenate([np.arange(len(out.positions)), np.flatnonzero(shared)])
        twin = np.arange(len(out.positions), dtype=np.uint32)
        twin[shared] = len(out.positions) + np.arange(int(shared.sum()), dtype=np.uint32)
        faces = np.where((sign < 0)[:, None], twin[faces], faces)
        out = replace(take_vertices(out, rows), indices=frozen(faces.reshape(-1), np.uint32))
    assert out.normals is not None
    tangents = vertex_tangents(out.positions, out.normals, out.texcoords[texcoord], faces)
    return replace(out, tangents=frozen(tangents))


def _apply(scene: Scene, settings: Tangents, resources: Content, job: Job) -> Outcome:
    remarks: list[Remark] = []

    def change(_: object, prim: Primitive) -> Primitive:
        if settings.where == "drop":
            return prim if prim.tangents is None else replace(prim, tangents=None)
        wanted = tangent_set(None if prim.material is None else scene.materials[prim.material])
        if not len(triangles_of(prim)) or (wanted is None and settings.where != "all"):
            return prim
        coord = wanted or 0
        if coord >= len(prim.texcoords) or prim.normals is None:
            remarks.append(Remark("no UVs or no normals: no tangents made", prim.key))
            return prim
        return with_tangents(prim, coord)

    return Outcome(map_primitives(scene, settings, job, change), tuple(remarks))


register(
    Step(
        id="tangents",
        name="Tangents",
        desk="fit",
        # After the surface steps, which say what has a normal map.
        order=92,
        phase="form",
        about="Makes tangents where a normal map needs them, or drops them.",
        settings=Tangents,
        targets="meshes",
        apply=_apply,
        summary=lambda s: {"normal-mapped": "for normal maps", "all": "all parts", "drop": "dropped"}[
            s.where
        ],
        placements=True,
    )
)
