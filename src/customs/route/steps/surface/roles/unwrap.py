"""Unwrap: texture coordinates for meshes that have none."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.changes.primitives import map_primitives, take_vertices
from customs.errors import StepError
from customs.geometry.triangles import triangles_of
from customs.geometry.unwrap import unwrap
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, Primitive, Remark, Scene
from customs.scene.settings import Targeted

MOST_FACES = 60_000
"""Unwrapping more takes many minutes in one stretch that cannot be stopped."""


class Unwrap(Targeted):
    """Which meshes, and how far apart the pieces lie."""

    only_missing: bool = Field(default=True, description="leave meshes that have UVs as they are")
    padding: int = Field(default=4, ge=0, le=64, description="pixels between the pieces")
    resolution: int = Field(
        default=1024, ge=64, le=8192, description="texture size the padding is meant for (pixels)"
    )


def _apply(scene: Scene, settings: Unwrap, resources: Content, job: Job) -> Outcome:
    remarks: list[Remark] = []

    def change(mesh: Mesh, prim: Primitive) -> Primitive:
        faces = triangles_of(prim)
        if (
            not len(faces)
            or (settings.only_missing and prim.texcoords)
            or not np.isfinite(prim.positions).all()
        ):
            return prim
        if len(faces) > MOST_FACES:
            raise StepError(
                f"{len(faces):,} faces in {mesh.name}",
                f"at most {MOST_FACES:,} to unwrap",
                "Lay out UVs where it was made, or deliver a coarser mesh.",
                where=mesh.name,
            )
        job.check()
        job.progress(0.1, f"Unwrapping {mesh.name}")
        made = unwrap(prim.positions, faces, prim.normals, settings.padding, settings.resolution)
        remarks.append(Remark(f"{made.charts:,} pieces", prim.key))
        out = take_vertices(prim, made.source.astype(np.intp))
        rest = out.texcoords[1:] if out.texcoords else ()
        return replace(
            out,
            mode="triangles",
            indices=frozen(made.faces.reshape(-1), np.uint32),
            sizes=None,
            triangulation=None,
            texcoords=(frozen(made.uv), *rest),
            tangents=None,
        )

    return Outcome(map_primitives(scene, settings, job, change), tuple(remarks))


register(
    Step(
        id="unwrap",
        name="Unwrap",
        desk="surface",
        order=47,
        about="Makes texture coordinates for meshes that have none.",
        settings=Unwrap,
        targets="meshes",
        apply=_apply,
        summary=lambda s: f"{s.padding} px apart",
        placements=True,
    )
)
