"""Detail: a tiling texture laid over materials, with its scale and offset; kept apart or worked in."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.changes.materials import Textures, changed_materials, find_image, without_roles
from customs.errors import StepError
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.scene.settings import Targeted
from customs.surface.detail import laid_over, tiled
from customs.surface.pixels import image_pixels, pixels_or_none
from customs.surface.relief import combined


class Detail(Targeted):
    """The texture and how it lies."""

    texture: str = Field(default="", description="Key of the texture; empty changes the one that is there")
    normal: bool = Field(default=False, description="it is a normal map")
    scale: tuple[float, float] = Field(default=(4.0, 4.0), description="times it repeats along U and V")
    offset: tuple[float, float] = Field(default=(0.0, 0.0), description="shift along U and V")
    strength: float = Field(default=1.0, ge=0, le=4, description="how strongly")
    bake: bool = Field(
        default=False, description="work it into the texture below, for destinations without detail maps"
    )


def _laid(m: Material, textures: Textures, image: int | None, settings: Detail) -> Material:
    role = "detail_normal" if settings.normal else "detail"
    old = m.textures.get(role)
    if image is None and old is None:
        return m
    below = m.textures.get("normal" if settings.normal else "base_colour")
    at = image if image is not None else old.image if old is not None else 0
    base = old or below or TextureUse(at)
    moved = replace(
        base, image=at, strength=settings.strength, offset=settings.offset, scale=settings.scale, rotation=0.0
    )
    m = replace(m, textures={**m.textures, role: moved})
    return _baked(m, textures, role) if settings.bake else m


def _baked(material: Material, textures: Textures, role: str) -> Material:
    """The detail worked into the texture below it."""
    slot = "normal" if role == "detail_normal" else "base_colour"
    use, below = material.textures[role], material.textures.get(slot)
    detail = pixels_or_none(textures.images[use.image])
    base = pixels_or_none(textures.images[below.image]) if below is not None else None
    if detail is None:
        return material
    if below is None or base is None:
        return replace(
            without_roles(material, (role,)),
            textures={**without_roles(material, (role,)).textures, slot: replace(use, strength=1.0)},
        )
    if below.texcoord != use.texcoord:
        raise StepError(
            "detail and base use different UV sets",
            "one UV set",
            "Keep the detail apart, or unwrap anew.",
            material.name,
        )
    turns = (use.scale[0] / below.scale[0], use.scale[1] / below.scale[1])
    shift = (use.offset[0] - below.offset[0] * turns[0], use.offset[1] - below.offset[1] * turns[1])
    width, height = (
        int(min(4096, max(b, d * abs(t)))) for b, d, t in zip(base.shape[1::-1], detail.shape[1::-1], turns)
    )
    size = (width, height)
    over = tiled(detail, size, turns, shift)
    under = tiled(base, size, (1.0, 1.0), (0.0, 0.0))
    made = combined(under, over, use.strength) if slot == "normal" else laid_over(under, over, use.strength)
    source = textures.images[below.image]
    image = Image(
        made_key(material.key, role), source.name, pixels=frozen(made, np.uint8), made_from=(source.key,)
    )
    return replace(
        without_roles(material, (role,)),
        textures={
            **without_roles(material, (role,)).textures,
            slot: replace(below, image=textures.add(image)),
        },
    )


def _apply(scene: Scene, settings: Detail, resources: Content, job: Job) -> Outcome:
    image = find_image(scene, settings.texture) if settings.texture else None
    if settings.texture and image is None:
        raise StepError(
            f"no texture {settings.texture}", "a Key of one of the asset's textures", where="texture"
        )
    if image is not None:
        image_pixels(scene.images[image])
    return Outcome(*changed_materials(scene, settings, job, lambda m, t: _laid(m, t, image, settings)))


register(
    Step(
        id="detail",
        name="Detail",
        desk="surface",
        order=72,
        about="Lays a tiling texture (scratches, dirt, weave) over materials, with scale and offset.",
        settings=Detail,
        apply=_apply,
        summary=lambda s: f"× {s.scale[0]:g}, {s.scale[1]:g}"[:18],
        plural=True,
        placements=True,
    )
)
