"""Nearest look: what goes beyond the core of glTF 2.0 becomes the nearest the core has."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field, field_validator

from customs.changes.materials import Textures, changed_materials, without_roles
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.layers import LAYERS, Layer
from customs.scene.model import Image, Material, Remark, Scene
from customs.scene.settings import Targeted
from customs.surface.files.pillow import to_eight
from customs.surface.nearest import GLASS, NEAREST, nearest, number
from customs.surface.pixels import pixels_or_none

NAMES = tuple(layer.extension for layer in LAYERS)


class NearestLook(Targeted):
    """Which extensions stay as they are."""

    kept: tuple[str, ...] = Field(default=(), description="extensions that stay")

    @field_validator("kept")
    @classmethod
    def _known(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for name in value:
            if name not in NAMES:
                raise ValueError(f"{name!r}: one of {', '.join(NAMES)}")
        return value


def _through(material: Material, textures: Textures, share: float) -> Material:
    """The texture of transmission as one of opacity: `share` of the light goes through where it is red."""
    use = material.textures["transmission"]
    pixels = pixels_or_none(textures.images[use.image])
    if pixels is None:
        return material
    clear = 1 - share * (to_eight(pixels)[:, :, :1].astype(np.float32) / np.float32(255))
    source = textures.images[use.image]
    image = Image(
        made_key(material.key, "nearest-look", GLASS),
        f"{material.name}_opacity",
        pixels=frozen(np.round(clear * 255), np.uint8),
        made_from=(source.key,),
    )
    uses = {**material.textures, GLASS: replace(use, image=textures.add(image), strength=1.0)}
    return replace(material, textures=uses)


def _apply(scene: Scene, settings: NearestLook, resources: Content, job: Job) -> Outcome:
    told: list[Remark] = []

    def change(material: Material, textures: Textures) -> Material:
        out, gone = nearest(material, settings.kept)
        if not gone:
            return material
        if "transmission" in out.textures and any(m.role == "transmission" for x in gone for m in x.maps):
            out = _through(out, textures, number(material, "transmission") * (1 - material.metallic))
        told.extend(_remark(material, layer) for layer in gone)
        return without_roles(out, [m.role for layer in gone for m in layer.maps])

    out, remarks = changed_materials(scene, settings, job, change)
    return Outcome(out, (*remarks, *told))


def _remark(material: Material, layer: Layer) -> Remark:
    maps = sum(m.role in material.textures for m in layer.maps)
    more = f", {maps} texture{'s' if maps > 1 else ''} of it left out" if maps else ""
    return Remark(f"{layer.title}: {NEAREST[layer.extension][1]}{more}", material.key)


register(
    Step(
        id="nearest-look",
        name="Nearest look",
        desk="surface",
        order=57,
        about="Turns clearcoat, transmission, sheen and other looks beyond the core into the nearest the core has.",
        settings=NearestLook,
        apply=_apply,
        summary=lambda s: f"but {len(s.kept)}" if s.kept else "core alone",
        placements=True,
    )
)
