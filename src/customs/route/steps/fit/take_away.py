"""Take away: faces a person chose go, the holes that leaves closed on request."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np
from pydantic import Field, field_validator

from customs.changes.closing import closed
from customs.changes.primitives import as_triangles, drop_unused_vertices, with_faces, without_empty_meshes
from customs.changes.standing_parts import Said, Whole, chosen, shown_elsewhere, whole_of, with_parts
from customs.errors import StepError
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.selection import growing
from customs.scene.settings import Settings
from customs.words import many


class TakeAway(Settings):
    """Which faces go."""

    adds: ClassVar = ("faces",)
    faces: tuple[Said, ...] = Field(
        default=(), description="(primitive Key, chosen faces: the digest of a choice, or ranges)"
    )
    close: bool = Field(default=False, description="close the holes that leaves")

    @field_validator("faces")
    @classmethod
    def _ranges(cls, value: tuple[Said, ...]) -> tuple[Said, ...]:
        if not all(isinstance(which, str) or growing(which) for _, which in value):
            raise ValueError("ranges that grow")
        return value


def without_faces(
    scene: Scene, whole: Whole, gone: np.ndarray, close: bool
) -> tuple[Scene, tuple[Remark, ...]]:
    """The scene without the faces `gone` (F,) of the whole. Raises StepError where nothing would be left."""
    if gone.all() and not _other_shapes(scene):
        raise StepError(
            "nothing would be left of the asset",
            "at least one face",
            "Choose fewer faces, or take the stop out.",
        )
    new: dict[tuple[int, int], Primitive | None] = {}
    for k, part in enumerate(whole.parts):
        mine = whole.mine(k, gone)
        if mine.any():
            prim = as_triangles(part.prim)
            kept = None if mine.all() else drop_unused_vertices(with_faces(prim, part.faces[~mine], ~mine))
            new[part.mesh, part.number] = kept
    out, remarks = with_parts(scene, new), [Remark(f"{many(int(gone.sum()), 'face')} taken away")]
    remarks += shown_elsewhere(scene, {m for m, _ in new})
    if close:
        out, more = with_holes_closed(scene, out)
        remarks += more
    return without_empty_meshes(out), tuple(remarks)


def _other_shapes(scene: Scene) -> bool:
    """True where something is shown that has no faces."""
    return any(
        p.mode not in ("triangles", "triangle_strip", "triangle_fan")
        for m in scene.meshes
        for p in m.primitives
    )


def with_holes_closed(before: Scene, scene: Scene) -> tuple[Scene, list[Remark]]:
    """The holes closed that meshes have since `before`."""
    meshes, count, left = [], 0, 0
    for was, mesh in zip(before.meshes, scene.meshes):
        if mesh is was or not mesh.primitives:
            meshes.append(mesh)
            continue
        made, n, open_ = closed(mesh, was)
        meshes.append(made)
        count, left = count + n, left + open_
    remarks = [Remark(f"{many(count, 'hole')} closed")] if count else []
    if left:
        remarks.append(
            Remark(f"{many(left, 'rim')} left open: it runs along what was open before, or is no plain ring")
        )
    return (replace(scene, meshes=tuple(meshes)) if count else scene), remarks


def _apply(scene: Scene, settings: TakeAway, resources: Content, job: Job) -> Outcome:
    if not settings.faces:
        return Outcome(scene)
    whole = whole_of(scene)
    gone, lost = chosen(whole, settings.faces, resources)
    job.check()
    if not gone.any():
        return Outcome(scene, lost)
    out, remarks = without_faces(scene, whole, gone, settings.close)
    return Outcome(out, (*remarks, *lost))


register(
    Step(
        id="take-away",
        name="Take away",
        desk="fit",
        order=33,
        about="Takes chosen faces away: what pokes through, what is too much.",
        settings=TakeAway,
        apply=_apply,
        summary=lambda s: many(len(s.faces), "choice"),
        plural=True,
    )
)
