"""LODs: coarser versions of each mesh, and the distances they are shown up to."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
from pydantic import Field, field_validator

from customs.changes.coarser import Coarser, Straying, coarsened, coarser_of, steps_within
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.motion.posing.bounds import world_bounds
from customs.route.step import Content, Outcome, Step, register
from customs.scene.folding import shown_times
from customs.scene.levels import FIELD, LAST, distance_for, switches
from customs.scene.model import Mesh, Remark, Scene
from customs.scene.settings import Targeted
from customs.words import many

COARSER = 0.9
"""The share of the triangles before that a level has at most: one nearly like the other is none (common practice)."""


FARTHEST = 0.08
"""Of the size of a mesh, what a level strays by at most: one that is another shape is none (common practice)."""


class Lods(Targeted):
    """The levels beside the finest, by one of three measures, and where each ends."""

    ratios: tuple[float, ...] = Field(
        default=(0.5, 0.2, 0.05), description="share of the triangles of each level"
    )
    triangles: tuple[int, ...] = Field(
        default=(), description="most triangles of each level; counts before ratios"
    )
    errors: tuple[float, ...] = Field(
        default=(), description="millimetres each level may stray by; counts before both"
    )
    shares: tuple[float, ...] = Field(
        default=(),
        description="share of the picture's height below which each level takes over; by its triangles where empty",
    )
    field: float = Field(default=FIELD, gt=1, lt=179, description="vertical field of view in degrees")
    distances: tuple[float, ...] = Field(
        default=(),
        description="metres up to which each level is shown, the finest first; counts before shares",
    )
    last: float = Field(default=LAST, gt=0, le=1e9, description="metres up to which the last level is shown")

    @field_validator("ratios", "shares")
    @classmethod
    def _falling(cls, value: tuple[float, ...]) -> tuple[float, ...]:
        if not all(0 < v < 1 for v in value) or any(b >= a for a, b in itertools.pairwise(value)):
            raise ValueError("shares over 0 and under 1, each smaller than the one before")
        return value

    @field_validator("triangles")
    @classmethod
    def _fewer(cls, value: tuple[int, ...]) -> tuple[int, ...]:
        if any(v < 1 for v in value) or any(b >= a for a, b in itertools.pairwise(value)):
            raise ValueError("numbers of 1 or more, each smaller than the one before")
        return value

    @field_validator("errors", "distances")
    @classmethod
    def _growing(cls, value: tuple[float, ...]) -> tuple[float, ...]:
        if not all(0 < v < np.inf for v in value) or any(b <= a for a, b in itertools.pairwise(value)):
            raise ValueError("numbers over 0, each larger than the one before")
        return value

    @property
    def count(self) -> int:
        """Levels beside the finest that are asked for."""
        return len(self.errors or self.triangles or self.ratios)


def _apply(scene: Scene, settings: Lods, resources: Content, job: Job) -> Outcome:
    times, said, meshes = shown_times(scene), list[Remark](), list(scene.meshes)
    box = world_bounds(scene)
    size = float(np.linalg.norm(box[1] - box[0])) if box is not None else 0.0
    meant = [k for k, m in enumerate(meshes) if times[k] and settings.takes(m.key, m.name, m.made_from)]
    for n, k in enumerate(meant):
        part = job.part(n / len(meant), (n + 1) / len(meant))

        def tell(share: float, text: str, part: Job = part) -> None:
            job.check()
            part.progress(share, text)

        found = coarser_of(meshes[k], tell) if settings.count else None
        levels = _levels(meshes[k], found, settings, said) if found is not None else ()
        meshes[k] = replace(meshes[k], levels=levels, reach=_reach(meshes[k], levels, settings, size))
    if not meant:
        return Outcome(scene, tuple(said))
    return Outcome(replace(scene, meshes=tuple(meshes)), tuple(said))


def _levels(mesh: Mesh, found: Coarser, settings: Lods, said: list[Remark]) -> tuple[Mesh, ...]:
    """The coarser versions, each with fewer triangles than the one before."""
    out, last, straying = list[Mesh](), 0, Straying(mesh.primitives)
    most = found.order.steps_within(FARTHEST * found.size)
    for k in range(settings.count):
        steps = max(min(_steps(mesh, found, settings, k), most), last)
        if found.faces_after(steps) > COARSER * found.faces_after(last):
            said.append(
                Remark(f"{mesh.name}: no coarser level {k + 1} keeps its seams, borders and shape", mesh.key)
            )
            break
        last = steps
        level = coarsened(mesh, found, steps)
        strays = straying.of(level.primitives)
        out.append(replace(level, levels=(), reach=(), name=mesh.name))
        said.append(
            Remark(
                f"{mesh.name}, level {k + 1}: {found.faces_after(steps):,} triangles, strays by at most {strays * 1000:,.3g} mm",
                mesh.key,
                {"level": k + 1, "triangles": found.faces_after(steps), "strays": strays},
            )
        )
    return tuple(out)


def _steps(mesh: Mesh, found: Coarser, settings: Lods, k: int) -> int:
    if settings.errors:
        return steps_within(mesh, found, settings.errors[k] / 1000)
    if settings.triangles:
        return found.order.steps_for(settings.triangles[k])
    return found.order.steps_for(max(round(found.order.first * settings.ratios[k]), 1))


def _reach(mesh: Mesh, levels: tuple[Mesh, ...], settings: Lods, size: float) -> tuple[float, ...]:
    """Metres up to which each level is shown, the finest first, growing; the last up to `settings.last`."""
    if settings.distances:
        ends = list(settings.distances[: len(levels)])
    elif settings.shares:
        ends = [distance_for(size, share, settings.field) for share in settings.shares[: len(levels)]]
    else:
        ends = list(switches([_triangles(m) for m in (mesh, *levels)], size, settings.field))
    while len(ends) < len(levels):
        ends.append(ends[-1] * 2 if ends else max(size, 1.0))
    last = settings.distances[len(levels)] if len(settings.distances) > len(levels) else settings.last
    return (*(round(e, 3) for e in ends), max(last, *(round(e * 2, 3) for e in ends)) if ends else last)


def _triangles(mesh: Mesh) -> int:
    return sum(len(triangles_of(p)) for p in mesh.primitives)


register(
    Step(
        id="lods",
        name="LODs",
        desk="fittings",
        order=103,
        about="Coarser versions of each mesh onto the vertices it has, and the distances up to which each is shown.",
        settings=Lods,
        targets="meshes",
        apply=_apply,
        summary=lambda s: many(s.count + 1, "level"),
        phase="form",
        placements=True,
    )
)
