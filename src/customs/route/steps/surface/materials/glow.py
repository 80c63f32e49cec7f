"""Glow: an emissive texture from the places of picked colours."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field, field_validator

from customs.changes.materials import Textures, changed_materials
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.scene.settings import Targeted
from customs.surface.glow import cleaned, colour_mask, glow_map, parse_colour
from customs.surface.pixels import pixels_or_none
from customs.words import many


class Glow(Targeted):
    """The colours and how far around them; distances are of OKLab, where 1 is black to white."""

    colours: tuple[str, ...] = Field(default=(), description="picked colours, as #rrggbb")
    tolerance: float = Field(default=0.08, ge=0, le=1, description="distance that glows wholly")
    feather: float = Field(default=0.04, ge=0, le=1, description="further distance over which it fades")
    speck: int = Field(default=4, ge=0, le=100000, description="islands of fewer pixels are left out")
    gap: int = Field(default=1, ge=0, le=32, description="gaps up to so many pixels are closed")
    strength: float = Field(default=1.0, ge=0, le=1000, description="emissive strength")

    @field_validator("colours")
    @classmethod
    def _colours(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for text in value:
            parse_colour(text)
        return value


def _glowing(material: Material, textures: Textures, settings: Glow) -> Material:
    use = material.textures.get("diffuse" if material.model == "specular_glossiness" else "base_colour")
    pixels = pixels_or_none(textures.images[use.image]) if use is not None else None
    if use is None or pixels is None or pixels.shape[2] < 3 or not settings.colours:
        return material
    mask = cleaned(
        colour_mask(pixels, settings.colours, settings.tolerance, settings.feather),
        settings.speck,
        settings.gap,
    )
    if not mask.any():
        return material
    source = textures.images[use.image]
    made = frozen(glow_map(pixels, mask), np.uint8)
    image = Image(made_key(material.key, "glow"), f"{source.name}_glow", pixels=made, made_from=(source.key,))
    new = TextureUse(textures.add(image), use.texcoord, use.sampler, 1.0, use.offset, use.rotation, use.scale)
    return replace(
        material,
        textures={**material.textures, "emissive": new},
        emissive=(1.0, 1.0, 1.0),
        emissive_strength=settings.strength,
    )


def _apply(scene: Scene, settings: Glow, resources: Content, job: Job) -> Outcome:
    return Outcome(*changed_materials(scene, settings, job, lambda m, t: _glowing(m, t, settings)))


register(
    Step(
        id="glow",
        name="Glow",
        desk="surface",
        order=73,
        about="Makes an emissive texture of the places that have picked colours.",
        settings=Glow,
        apply=_apply,
        summary=lambda s: f"{many(len(s.colours), 'colour')}, {s.tolerance:g}"[:18],
        plural=True,
        placements=True,
    )
)
