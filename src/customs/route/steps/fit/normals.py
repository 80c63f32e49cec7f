"""Normals: made new, smooth where faces meet at less than an angle."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from customs.changes.primitives import as_triangles, map_primitives, take_vertices
from customs.changes.welding import welded
from customs.geometry.normals import corner_normals, off_length
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import unique_rows
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.model import Primitive, Scene
from customs.scene.settings import Targeted
from customs.scene.standing import same_faces
from customs.scene.transforms import unit_rows


class Normals(Targeted):
    """The angle, and which primitives get new normals."""

    angle: float = Field(
        default=40.0, ge=0, le=180, description="degrees between faces that are smoothed together"
    )
    only: Literal["missing-or-broken", "all"] = Field(default="missing-or-broken", description="which parts")


def sound(prim: Primitive) -> bool:
    """True when every normal is there, finite and about one long."""
    if prim.normals is None:
        return False
    return not off_length(prim.normals).any()


def with_normals(prim: Primitive, angle: float) -> Primitive:
    """A triangle list whose vertices are split where normals differ."""
    out = as_triangles(prim)
    faces = triangles_of(out)
    corners = corner_normals(out.positions, faces, angle).reshape(-1, 3)
    flat = faces.reshape(-1)
    # Corners of one old vertex with the same normal (to 1/1000) stay one vertex.
    first, inverse = unique_rows([flat.reshape(-1, 1), np.round(corners * 1000).astype(np.int32)])
    new = take_vertices(replace(out, normals=None, tangents=None), flat[first].astype(np.intp))
    normals = unit_rows(corners[first])
    flat_ones = ~normals.any(axis=1)
    normals[flat_ones] = (0, 1, 0)
    # Vertices that differed in their old normals alone are one again.
    made = welded(replace(new, normals=frozen(normals), indices=frozen(inverse, np.uint32)), 0.0, False)
    same_faces(made, out)
    return made


def _apply(scene: Scene, settings: Normals, resources: Content, job: Job) -> Outcome:
    def change(_: object, prim: Primitive) -> Primitive:
        if not len(triangles_of(prim)) or (settings.only != "all" and sound(prim)):
            return prim
        if settings.only != "all" and prim.normals is not None and _unit_again(prim) is not None:
            return _unit_again(prim) or prim
        return with_normals(prim, settings.angle)

    return Outcome(map_primitives(scene, settings, job, change))


def _unit_again(prim: Primitive) -> Primitive | None:
    """Normals scaled to length one, or None when some are zero or not finite."""
    assert prim.normals is not None
    squares = np.einsum("ij,ij->i", prim.normals, prim.normals)
    if not np.isfinite(squares).all() or (squares < 1e-12).any():
        return None
    return replace(prim, normals=frozen(unit_rows(prim.normals)))


register(
    Step(
        id="normals",
        name="Normals",
        desk="fit",
        order=52,
        about="Makes normals: smooth where faces meet at less than the angle, hard elsewhere.",
        settings=Normals,
        targets="meshes",
        apply=_apply,
        summary=lambda s: f"smooth {s.angle:g}°",
        placements=True,
    )
)
