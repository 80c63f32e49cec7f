"""Lay UVs: all textures of a material at one place, on the first UV set and without a transform of their
own.
"""

from __future__ import annotations

from pydantic import Field

from customs.changes.laying import fewer_sets, laid, lays
from customs.changes.primitives import map_primitives
from customs.changes.welding import welded
from customs.errors import StepError
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Targeted, missing_targets
from customs.words import many


class LayUvs(Targeted):
    """Which materials, and how many UV sets stay."""

    sets: int | None = Field(default=None, ge=1, le=8, description="UV sets kept; nothing keeps all")


def _apply(scene: Scene, settings: LayUvs, resources: Content, job: Job) -> Outcome:
    meant = [
        i
        for i, m in enumerate(scene.materials)
        if settings.takes(m.key, m.name, m.made_from)
        and any(not lay.plain or lay.texcoord for lay in lays(m).values())
    ]
    out, ways = laid(scene, meant, job.check) if meant else (scene, {})
    remarks = []
    for i, way in ways.items():
        m = scene.materials[i]
        if way.main is None:
            if settings.targets:
                raise StepError(
                    f"{m.name} cannot be laid on one UV set: {way.why}",
                    "UVs of its own for every face",
                    "Unwrap it, or deliver where several UV sets are read.",
                    where=m.name,
                )
            remarks.append(Remark(f"{m.name} stays as it is: {way.why}", m.key))
        elif way.redrawn:
            names = ", ".join(r.replace("_", " ") for r in way.redrawn)
            remarks.append(
                Remark(
                    f"{m.name}: {names} drawn anew for the UVs of the others", m.key, {"redrawn": way.redrawn}
                )
            )
        else:
            remarks.append(Remark(f"{m.name}: UVs laid as its textures take them", m.key))
    if settings.sets is not None:
        new, lost = fewer_sets(out, settings.sets)
        if lost:
            raise StepError(
                f"{', '.join(lost[:3])} on further UV sets", many(settings.sets, "UV set"), "Unwrap it first."
            )
        if any(len(p.texcoords) > settings.sets for m in out.meshes for p in m.primitives):
            # Vertices that differed in a set that went are one again.
            out = map_primitives(new, Targeted(), job, lambda _, p: welded(p, 0.0, False))
    return Outcome(
        out, (*remarks, *missing_targets(settings, ((m.key, m.name, m.made_from) for m in scene.materials)))
    )


register(
    Step(
        id="lay-uvs",
        name="Lay UVs",
        desk="surface",
        order=62,
        about="Brings all textures of a material to one place on the first UV set; those that lay elsewhere are drawn anew.",
        settings=LayUvs,
        apply=_apply,
        summary=lambda s: "one place" if s.sets is None else many(s.sets, "UV set"),
        placements=True,
    )
)
