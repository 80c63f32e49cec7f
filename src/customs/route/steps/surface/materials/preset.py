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


def _is(material: Material, state: str) -> bool:
    return {"any": True, "unlit": material.model == "unlit", "plain": not material.textures}.get(
        state, material.alpha_mode == state
    )


def _apply(scene: Scene, settings: ApplyPreset, resources: Content, job: Job) -> Outcome:
    chosen = presets()[settings.preset]

    def change(material: Material, textures: Textures) -> Material:
        if material.model == "specular_glossiness" or not _is(material, settings.state):
            return material
        new = apply_preset(material, chosen)
        return material if new.__dict__ == material.__dict__ else new

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
