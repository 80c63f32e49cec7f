"""Specular-glossiness to metallic-roughness."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.changes.laying import same_place
from customs.changes.materials import Textures, changed_materials
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.scene.settings import Targeted
from customs.surface.channels import same_size
from customs.surface.colour import to_linear, to_srgb
from customs.surface.pixels import pixels_or_none
from customs.surface.spec_gloss import MetalRough, converted

F32 = npt.NDArray[np.float32]


class SpecGloss(Targeted):
    """Nothing to set: the conversion is the published one."""


def _texture(material: Material, textures: Textures, role: str) -> npt.NDArray[Any] | None:
    use = material.textures.get(role)
    return pixels_or_none(textures.images[use.image]) if use is not None else None


def _rgba(pixels: npt.NDArray[Any] | None) -> npt.NDArray[np.uint8]:
    """Four channels, white where there is no texture."""
    if pixels is None:
        return np.full((1, 1, 4), 255, np.uint8)
    p = np.repeat(pixels, 3, axis=2) if pixels.shape[2] == 1 else pixels
    return p if p.shape[2] == 4 else np.dstack([p[:, :, :3], np.full(p.shape[:2], 255, np.uint8)])


def _values(material: Material, textures: Textures) -> tuple[MetalRough, F32]:
    """(the converted values, alpha) over the larger of both textures."""
    diffuse, gloss = same_size(
        _rgba(_texture(material, textures, "diffuse")),
        _rgba(_texture(material, textures, "specular_glossiness")),
        True,
    )
    d, g = (p.astype(np.float32) / np.float32(255) for p in (diffuse, gloss))
    base = to_linear(d[:, :, :3]) * np.array(material.diffuse[:3], np.float32)
    shine = to_linear(g[:, :, :3]) * np.array(material.specular, np.float32)
    return converted(base, shine, g[:, :, 3] * np.float32(material.glossiness)), d[:, :, 3]


def _converted(material: Material, textures: Textures) -> Material:
    both = [material.textures[r] for r in ("diffuse", "specular_glossiness") if r in material.textures]
    if material.model != "specular_glossiness" or not same_place(both):
        return material
    found, alpha = _values(material, textures)
    uses = {r: u for r, u in material.textures.items() if r not in ("diffuse", "specular_glossiness")}
    source = material.textures.get("diffuse") or material.textures.get("specular_glossiness")
    if source is None:
        r, g, b = (float(v) for v in found.base[0, 0])
        return replace(
            material,
            model="pbr",
            base_colour=(r, g, b, material.diffuse[3]),
            metallic=float(found.metallic[0, 0]),
            roughness=float(found.roughness[0, 0]),
            textures=uses,
        )
    colour = np.dstack([to_srgb(found.base), alpha]) if alpha.min() < 1 else to_srgb(found.base)
    data = np.dstack([np.ones_like(found.roughness), found.roughness, found.metallic])
    for role, values, name in (("base_colour", colour, "base"), ("metallic_roughness", data, "orm")):
        pixels = frozen(np.round(values * 255), np.uint8)
        made = tuple(
            textures.images[u.image].key
            for u in (material.textures.get("diffuse"), material.textures.get("specular_glossiness"))
            if u
        )
        image = Image(
            made_key(material.key, "spec-gloss", role),
            f"{material.name}_{name}",
            pixels=pixels,
            made_from=made,
        )
        uses[role] = TextureUse(
            textures.add(image),
            source.texcoord,
            source.sampler,
            1.0,
            source.offset,
            source.rotation,
            source.scale,
        )
    return replace(
        material,
        model="pbr",
        base_colour=(1.0, 1.0, 1.0, material.diffuse[3]),
        metallic=1.0,
        roughness=1.0,
        textures=uses,
    )


def _apply(scene: Scene, settings: SpecGloss, resources: Content, job: Job) -> Outcome:
    out, remarks = changed_materials(scene, settings, job, _converted)
    return Outcome(out, remarks)


register(
    Step(
        id="spec-gloss",
        name="Metal and rough",
        desk="surface",
        order=65,
        about="Turns specular-glossiness materials into metallic-roughness ones by the published conversion.",
        settings=SpecGloss,
        apply=_apply,
        summary=lambda s: "from spec-gloss",
        placements=True,
    )
)
