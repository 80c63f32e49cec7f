"""Cut off: what lies beyond a plane or inside a box goes, faces divided along the cut."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np
import numpy.typing as npt
from pydantic import Field, field_validator

from customs.changes.between import with_division
from customs.changes.primitives import as_triangles
from customs.changes.standing_parts import Part, Whole, whole_of, with_parts
from customs.geometry.cutting import divided, heights, overlapping
from customs.geometry.weld import groups_of_rows
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.route.steps.fit.take_away import without_faces
from customs.scene.model import Remark, Scene
from customs.scene.settings import Targeted
from customs.words import many

F64 = npt.NDArray[np.float64]
Six = tuple[float, float, float, float, float, float]
AXES = np.concatenate([np.eye(3), -np.eye(3)])


class CutOff(Targeted):
    """Where the cuts are, in metres."""

    adds: ClassVar = ("planes", "boxes")
    planes: tuple[Six, ...] = Field(
        default=(),
        description="planes, each a point on it and a direction: what lies to where it points goes",
    )
    boxes: tuple[Six, ...] = Field(default=(), description="boxes, each two corners: what lies inside goes")
    close: bool = Field(default=False, description="close the holes that leaves")

    @field_validator("planes", "boxes")
    @classmethod
    def _finite(cls, value: tuple[Six, ...]) -> tuple[Six, ...]:
        if not np.isfinite(np.array(value, dtype=float)).all():
            raise ValueError("finite numbers")
        return value

    @field_validator("planes")
    @classmethod
    def _directed(cls, value: tuple[Six, ...]) -> tuple[Six, ...]:
        if any(np.linalg.norm(six[3:]) < 1e-9 for six in value):
            raise ValueError("a direction that is not zero")
        return value


def _along(part: Part, point: F64, normal: F64, box: tuple[F64, F64] | None) -> Part:
    """The part with its faces divided along a plane, those near a box where one is given."""
    height = heights(part.points, point, normal)
    meant = None if box is None else overlapping(part.points, part.faces, *box)
    cut = divided(part.faces, groups_of_rows(part.prim.positions), height, meant)
    if not len(cut.edges):
        return part
    t = cut.share[:, None]
    between = part.points[cut.edges[:, 0]] * (1 - t) + part.points[cut.edges[:, 1]] * t
    prim = with_division(as_triangles(part.prim), cut)
    points = np.concatenate([part.points, between])
    return replace(part, prim=prim, points=points, faces=cut.faces)


def _cut(part: Part, settings: CutOff) -> tuple[Part, npt.NDArray[np.bool_]]:
    """The part divided, and which of its faces go."""
    for six in settings.planes:
        part = _along(part, np.array(six[:3]), np.array(six[3:]), None)
    boxes = [(np.minimum(six[:3], six[3:]), np.maximum(six[:3], six[3:])) for six in settings.boxes]
    for low, high in boxes:
        for k, normal in enumerate(AXES):
            part = _along(part, high if k < 3 else low, normal, (low, high))
    centres = part.points[part.faces].mean(axis=1)
    gone = np.zeros(len(part.faces), dtype=bool)
    for six in settings.planes:
        gone |= heights(part.points, six[:3], six[3:])[part.faces].sum(axis=1) > 0
    for low, high in boxes:
        gone |= ((centres > low) & (centres < high)).all(axis=1)
    return part, gone


def _apply(scene: Scene, settings: CutOff, resources: Content, job: Job) -> Outcome:
    if not settings.planes and not settings.boxes:
        return Outcome(scene)
    whole = whole_of(scene)
    parts, gone = list[Part](), list[npt.NDArray[np.bool_]]()
    for k, part in enumerate(whole.parts):
        job.check()
        job.progress(k / len(whole.parts), "Cutting")
        mesh = scene.meshes[part.mesh]
        meant = settings.takes(mesh.key, mesh.name, mesh.made_from)
        new, away = _cut(part, settings) if meant else (part, np.zeros(len(part.faces), dtype=bool))
        # What is divided and loses nothing stays as it came.
        parts.append(new if away.any() else part)
        gone.append(away if away.any() else np.zeros(len(part.faces), dtype=bool))
    if not any(a.any() for a in gone):
        return Outcome(scene, (Remark("nothing lies beyond the cut"),))
    split = with_parts(
        scene, {(p.mesh, p.number): p.prim for p, was in zip(parts, whole.parts) if p is not was}
    )
    out, remarks = without_faces(split, Whole.of(parts), np.concatenate(gone), settings.close)
    return Outcome(out, remarks)


register(
    Step(
        id="cut-off",
        name="Cut off",
        desk="fit",
        order=34,
        about="Cuts along planes and boxes: what lies beyond goes, and what stays ends at the cut.",
        settings=CutOff,
        targets="meshes",
        apply=_apply,
        summary=lambda s: ", ".join(
            [many(len(s.planes), "plane")] * bool(s.planes) + [many(len(s.boxes), "box")] * bool(s.boxes)
        ),
        plural=True,
    )
)
