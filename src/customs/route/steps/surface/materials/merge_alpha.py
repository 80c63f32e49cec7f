"""Opacity: a texture of its own for opacity goes into the alpha of the colour."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np
from pydantic import Field

from customs.changes.laying import same_place
from customs.changes.materials import Textures, changed_materials, without_roles
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.scene.settings import Targeted
from customs.surface.channels import same_size
from customs.surface.pixels import pixels_or_none
from customs.surface.transparency import wanted_cutoff, wanted_mode, with_alpha


class MergeAlpha(Targeted):
    """Whether the mode follows."""

    stays: ClassVar = ("set_mode",)
    set_mode: bool = Field(
        default=True, description="set alpha mode and cutoff by what the opacity looks like"
    )


def _merged(material: Material, textures: Textures, set_mode: bool) -> Material:
    use = material.textures.get("opacity")
    opacity = pixels_or_none(textures.images[use.image]) if use is not None else None
    if use is None or opacity is None:
        return material
    role = "diffuse" if material.model == "specular_glossiness" else "base_colour"
    old = material.textures.get(role)
    if old is not None and not same_place((old, use)):
        return material
    colour = pixels_or_none(textures.images[old.image]) if old is not None else None
    white = np.full((1, 1, 3), 255, np.uint8)
    colour, opacity = same_size(white if colour is None else colour, opacity)
    pixels = with_alpha(colour, opacity)
    name = textures.images[old.image].name if old is not None else f"{material.name}_colour"
    made = tuple(textures.images[u.image].key for u in (old, use) if u is not None)
    image = Image(
        made_key(material.key, "merge-alpha"), name, pixels=frozen(pixels, np.uint8), made_from=made
    )
    new = (
        replace(old, image=textures.add(image))
        if old is not None
        else TextureUse(textures.add(image), use.texcoord, use.sampler)
    )
    out = replace(
        without_roles(material, ("opacity",)),
        textures={**without_roles(material, ("opacity",)).textures, role: new},
    )
    if not set_mode:
        return out
    return replace(
        out, alpha_mode=wanted_mode(pixels[:, :, 3]), alpha_cutoff=round(wanted_cutoff(pixels[:, :, 3]), 3)
    )


def _apply(scene: Scene, settings: MergeAlpha, resources: Content, job: Job) -> Outcome:
    out, remarks = changed_materials(scene, settings, job, lambda m, t: _merged(m, t, settings.set_mode))
    return Outcome(out, remarks)


register(
    Step(
        id="merge-alpha",
        name="Opacity",
        desk="surface",
        order=67,
        about="Puts an opacity texture of its own into the alpha of the colour texture.",
        settings=MergeAlpha,
        apply=_apply,
        summary=lambda s: "into alpha",
        placements=True,
    )
)
