"""Drop broken faces: degenerate, doubled, or with numbers that are not finite."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
import numpy.typing as npt
from pydantic import Field

from customs.changes.finite import finite_vertices, repaired
from customs.changes.primitives import as_triangles, drop_unused_vertices, map_primitives, with_faces
from customs.geometry.faces import degenerate, doubled
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.settings import Targeted


class DropBroken(Targeted):
    """Which kinds go."""

    stays: ClassVar = ("degenerate", "doubled", "not_finite")
    degenerate: bool = Field(default=True, description="faces without area")
    doubled: bool = Field(default=True, description="repeats of a face in the same winding")
    not_finite: bool = Field(default=True, description="faces with a corner that is no number")


def _apply(scene: Scene, settings: DropBroken, resources: Content, job: Job) -> Outcome:
    counts = np.zeros(3, dtype=int)

    def change(_: object, prim: Primitive) -> Primitive | None:
        if not len(triangles_of(prim)):
            return prim
        if settings.not_finite:
            prim = repaired(prim)
        out = as_triangles(prim)
        faces = triangles_of(out)
        masks: list[npt.NDArray[np.bool_]] = [np.zeros(len(faces), dtype=bool)] * 3
        if settings.not_finite:
            masks[0] = ~np.asarray(finite_vertices(out)[faces].all(axis=1))
        if settings.degenerate:
            masks[1] = degenerate(out.positions, faces) & ~masks[0]
        if settings.doubled:
            masks[2] = doubled(out.positions, faces) & ~masks[0] & ~masks[1]
        gone = masks[0] | masks[1] | masks[2]
        counts[:] += [int(m.sum()) for m in masks]
        if not gone.any():
            return prim
        if gone.all():
            return None
        return drop_unused_vertices(with_faces(out, faces[~gone], ~gone))

    out = map_primitives(scene, settings, job, change)
    names = (("not_finite", "not finite"), ("degenerate", "without area"), ("doubled", "doubled"))
    remarks = tuple(
        Remark(f"{n:,} faces {what} dropped", values={k: int(n)}) for n, (k, what) in zip(counts, names) if n
    )
    return Outcome(out, remarks)


register(
    Step(
        id="drop-broken",
        name="Broken faces",
        desk="fit",
        order=40,
        about="Drops faces without area, repeats of a face, and faces with a corner that is no number.",
        settings=DropBroken,
        targets="meshes",
        apply=_apply,
        summary=lambda s: "dropped",
        placements=True,
    )
)
