"""Relief: height maps become normal maps."""

from __future__ import annotations

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
from customs.surface.green import GreenWay, green_of
from customs.surface.pixels import pixels_or_none
from customs.surface.relief import combined, flipped_green, from_height
from customs.surface.resize import resize


class HeightNormal(Targeted):
    """How deep."""

    stays: ClassVar = ("add",)
    depth: float = Field(default=4.0, ge=0, le=1000, description="pixels that full white stands over black")
    add: bool = Field(default=True, description="lay it over a normal map that is there; else keep that one")


def _relief(material: Material, textures: Textures, settings: HeightNormal, origin: GreenWay) -> Material:
    use = material.textures.get("height")
    height = pixels_or_none(textures.images[use.image]) if use is not None else None
    if use is None or height is None:
        return material
    rest, old = without_roles(material, ("height",)), material.textures.get("normal")
    if old is not None and settings.add and not same_place((old, use)):
        return material
    wrap = use.sampler.wrap_s != 33071 and use.sampler.wrap_t != 33071
    made = from_height(height, settings.depth, wrap)
    base = pixels_or_none(textures.images[old.image]) if old is not None else None
    way: GreenWay = "up"
    if base is not None and old is not None:
        if not settings.add:
            return rest
        way = green_of(textures.images[old.image], origin)
        made = made if way == "up" else flipped_green(made)
        made = combined(base, resize(made, base.shape[1], base.shape[0], False, True))
    image = Image(
        made_key(material.key, "height-normal"),
        f"{textures.images[use.image].name}_n",
        pixels=frozen(made, np.uint8),
        green=way,
        made_from=(textures.images[use.image].key,),
    )
    new = TextureUse(textures.add(image), use.texcoord, use.sampler, 1.0, use.offset, use.rotation, use.scale)
    return Material(**{**rest.__dict__, "textures": {**rest.textures, "normal": new}})


def _apply(scene: Scene, settings: HeightNormal, resources: Content, job: Job) -> Outcome:
    return Outcome(
        *changed_materials(scene, settings, job, lambda m, t: _relief(m, t, settings, scene.convention.green))
    )


register(
    Step(
        id="height-normal",
        name="Relief",
        desk="surface",
        order=69,
        about="Makes normal maps of height maps, laid over a normal map where there is one.",
        settings=HeightNormal,
        apply=_apply,
        summary=lambda s: f"{s.depth:g} px deep",
        placements=True,
    )
)
