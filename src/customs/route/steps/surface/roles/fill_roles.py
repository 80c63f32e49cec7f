"""Fill: textures made of numbers, for destinations that want one in every role."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np
from pydantic import Field, field_validator

from customs.changes.materials import Textures, changed_materials
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import SLOTS, Image, Material, Scene, TextureUse
from customs.scene.settings import Targeted
from customs.surface.colour import to_srgb
from customs.words import many

EDGE = 4
"""Edge of a texture of one value (pixels): the smallest that block compression takes."""


class FillRoles(Targeted):
    """Which roles."""

    adds: ClassVar = ("roles",)
    roles: tuple[str, ...] = Field(default=("base_colour", "normal"), description="roles that get a texture")

    @field_validator("roles")
    @classmethod
    def _known(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for role in value:
            if role not in SLOTS:
                raise ValueError(f"role {role!r}: one of {', '.join(SLOTS)}")
        return value


def _value(material: Material, role: str) -> tuple[float, ...]:
    """The value (sRGB for colours) a flat texture of the role has."""
    srgb = {"base_colour": material.base_colour, "diffuse": material.diffuse, "emissive": material.emissive}
    if role in srgb:
        colour = srgb[role]
        tone = tuple(float(v) for v in to_srgb(np.clip(np.array(colour[:3]), 0, 1)))
        return (*tone, *(float(a) for a in colour[3:] if a < 1))
    data = {"normal": (0.5, 0.5, 1.0), "detail_normal": (0.5, 0.5, 1.0), "metallic_roughness": (1.0, material.roughness, material.metallic),
            "metallic": (material.metallic,), "roughness": (material.roughness,), "glossiness": (1 - material.roughness,), "occlusion": (1.0,),
            "opacity": (material.base_colour[3],)}  # fmt: skip
    return data.get(role, (0.5,))


def _filled(m: Material, textures: Textures, roles: tuple[str, ...]) -> Material:
    # A model has one pair of roles for its colour; the other is not its own.
    other = "base_colour" if m.model == "specular_glossiness" else "diffuse"
    for role in roles:
        if role in m.textures or role == other:
            continue
        values = np.round(np.array(_value(m, role)) * 255).astype(np.uint8)
        pixels = frozen(np.broadcast_to(values, (EDGE, EDGE, len(values))), np.uint8)
        image = Image(made_key(m.key, "fill", role), f"{m.name}_{role}", pixels=pixels)
        m = replace(m, textures={**m.textures, role: TextureUse(textures.add(image))})
        m = _opened(m, role)
    return m


def _opened(material: Material, role: str) -> Material:
    """The factor the texture now stands for set to one."""
    if role == "base_colour":
        return replace(material, base_colour=(1.0, 1.0, 1.0, 1.0))
    if role == "diffuse":
        return replace(material, diffuse=(1.0, 1.0, 1.0, 1.0))
    if role == "emissive":
        return replace(material, emissive=(1.0, 1.0, 1.0))
    if role == "metallic_roughness":
        return replace(material, metallic=1.0, roughness=1.0)
    if role == "metallic":
        return replace(material, metallic=1.0)
    return replace(material, roughness=1.0) if role == "roughness" else material


def _apply(scene: Scene, settings: FillRoles, resources: Content, job: Job) -> Outcome:
    return Outcome(*changed_materials(scene, settings, job, lambda m, t: _filled(m, t, settings.roles)))


register(
    Step(
        id="fill-roles",
        name="Fill",
        desk="surface",
        order=78,
        about="Makes small textures of a material's numbers where a destination wants a texture in every role.",
        settings=FillRoles,
        apply=_apply,
        summary=lambda s: many(len(s.roles), "role"),
        placements=True,
    )
)
