"""Light: materials with light painted into their colour become ones that are lit."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.changes.materials import Textures, changed_materials
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Material, Scene
from customs.scene.settings import Targeted


class Light(Targeted):
    """How the surface takes light from now on."""

    roughness: float = Field(default=0.8, ge=0, le=1, description="roughness")
    metallic: float = Field(default=0.0, ge=0, le=1, description="metallic")


def _apply(scene: Scene, settings: Light, resources: Content, job: Job) -> Outcome:
    def change(material: Material, textures: Textures) -> Material:
        if material.model != "unlit":
            return material
        return replace(material, model="pbr", roughness=settings.roughness, metallic=settings.metallic)

    out, remarks = changed_materials(scene, settings, job, change)
    return Outcome(out, remarks)


register(
    Step(
        id="light",
        name="Light",
        desk="surface",
        order=64,
        about="Turns unlit materials into ones that take light, with a roughness and metallic of your choice.",
        settings=Light,
        apply=_apply,
        summary=lambda s: f"rough {s.roughness:g}",
        placements=True,
    )
)
