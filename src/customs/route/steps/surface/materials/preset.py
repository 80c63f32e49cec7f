"""Preset: many materials set as a kind of material."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator

from customs.changes.materials import Textures, changed_materials
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Material, Scene
from customs.scene.settings import Targeted
from customs.surface.presets import apply_preset, presets


class ApplyPreset(Targeted):
    """Which, and for which state of material."""

    preset: str = Field(default="opaque", description="kind of material")
    state: Literal["any", "opaque", "mask", "blend", "unlit", "plain"] = Field(
        default="any", description="only materials that are so now; plain is without any texture"
    )

    @field_validator("preset")
    @classmethod
    def _known(cls, value: str) -> str:
        if value not in presets():
            raise ValueError("one of " + ", ".join(presets()))
        return value


def _is(m: Material, state: str) -> bool:
    return {"any": True, "unlit": m.model == "unlit", "plain": not m.textures}.get(state, m.alpha_mode == state)


def _apply(scene: Scene, settings: ApplyPreset, resources: Content, job: Job) -> Outcome:
    chosen = presets()[settings.preset]

    def change(m: Material, textures: Textures) -> Material:
        if m.model == "specular_glossiness" or not _is(m, settings.state):
            return m
        new = apply_preset(m, chosen)
        return m if new.__dict__ == m.__dict__ else new

    return Outcome(*changed_materials(scene, settings, job, change))


register(
    Step(
        id="preset",
        name="Preset",
        desk="surface",
        order=75,
        about="Sets materials as a kind of material (leaf, glass, metal …). Their names and textures stay.",
        settings=ApplyPreset,
        apply=_apply,
        summary=lambda s: s.preset,
        plural=True,
        placements=True,
    )
)
