"""Alpha: the mode a material's own texture asks for."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Scene
from customs.scene.settings import Targeted, missing_targets


class Alpha(Targeted):
    """The mode and the cutoff."""

    mode: Literal["opaque", "mask", "blend"] = Field(default="mask", description="alpha mode")
    cutoff: float = Field(default=0.5, ge=0, le=1, description="alpha below it is cut, for mask")
    double_sided: bool | None = Field(default=None, description="nothing keeps it as it is")


def _apply(scene: Scene, settings: Alpha, resources: Content, job: Job) -> Outcome:
    materials = []
    for m in scene.materials:
        if settings.takes(m.key, m.name, m.made_from):
            sides = m.double_sided if settings.double_sided is None else settings.double_sided
            m = replace(m, alpha_mode=settings.mode, alpha_cutoff=settings.cutoff, double_sided=sides)
        materials.append(m)
    remarks = missing_targets(settings, ((m.key, m.name, m.made_from) for m in scene.materials))
    return Outcome(replace(scene, materials=tuple(materials)), remarks)


register(
    Step(
        id="alpha",
        name="Alpha",
        desk="surface",
        order=66,
        about="Sets how materials use the alpha of their texture: opaque, mask with a cutoff, or blend.",
        settings=Alpha,
        apply=_apply,
        summary=lambda s: s.mode if s.mode != "mask" else f"mask, cut {s.cutoff:g}",
        plural=True,
        placements=True,
    )
)
