"""Pack: values of a material brought into the channels of one texture by a pattern."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field, field_validator

from customs.changes.laying import same_place
from customs.changes.materials import Textures, changed_materials, without_roles
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.scene.settings import Targeted
from customs.surface.channels import LAYOUT, packed, source_of
from customs.surface.pattern import Part, parse_pattern, pattern_text, slot_of

EDGE = 4
SLOTS_OF = {"occlusion": ("occlusion",), "roughness": ("roughness", "glossiness"), "glossiness": ("roughness", "glossiness"),
            "metallic": ("metallic",), "specular": ("specular",), "opacity": ("opacity",), "height": ("height",)}  # fmt: skip


class Pack(Targeted):
    """The pattern."""

    pattern: str = Field(
        default="R=occlusion G=roughness B=metallic", description="channel=value, 1-value or a number"
    )
    always: bool = Field(default=False, description="also where no texture gives any of the values")

    @field_validator("pattern")
    @classmethod
    def _parses(cls, value: str) -> str:
        return pattern_text(parse_pattern(value))


def already(material: Material, parts: tuple[Part, ...]) -> bool:
    """True when the material's values lie packed by the pattern as they are."""
    role = slot_of(parts)
    if role == "parameters":
        use = material.textures.get("parameters")
        return use is not None and use.extras.get(LAYOUT) == pattern_text(parts)
    use = material.textures.get(role)
    loose = any(s in material.textures for p in parts for s in SLOTS_OF.get(p.value, ()) if s != "occlusion")
    if use is None or loose or "parameters" in material.textures:
        return False
    wants = any(p.value == "occlusion" for p in parts)
    occlusion = material.textures.get("occlusion")
    return not wants or occlusion is None or occlusion.image == use.image


def _packed(material: Material, textures: Textures, parts: tuple[Part, ...], always: bool) -> Material:
    found = [source_of(material, textures.images, p.value) for p in parts if p.value]
    uses = [f[0] for f in found if f is not None]
    # Values that lie at different places of the surface are no pixels side by side: Lay UVs brings them
    # together first.
    if (
        already(material, parts)
        or (not uses and not always)
        or material.model == "specular_glossiness"
        or not same_place(uses)
    ):
        return material
    pixels = packed(material, textures.images, parts)
    if pixels.shape[0] < EDGE and not uses:
        pixels = pixels.repeat(EDGE, axis=0).repeat(EDGE, axis=1)
    made = tuple(dict.fromkeys(textures.images[u.image].key for u in uses))
    image = Image(
        made_key(material.key, "pack"),
        f"{material.name}_packed",
        pixels=frozen(pixels, np.uint8),
        made_from=made,
    )
    role, first = slot_of(parts), uses[0] if uses else TextureUse(0)
    extras = {LAYOUT: pattern_text(parts)} if role == "parameters" else {}
    use = replace(first, image=textures.add(image, share=True), strength=1.0, extras=extras)
    gone = (
        {"metallic_roughness", "parameters"}
        if any(p.value in ("roughness", "metallic", "glossiness") for p in parts)
        else set()
    )
    rest = without_roles(material, gone | {s for p in parts for s in SLOTS_OF.get(p.value, ())})
    uses_now = {**rest.textures, role: use}
    if (
        role == "metallic_roughness"
        and any(p.value == "occlusion" for p in parts)
        and source_of(material, textures.images, "occlusion")
    ):
        uses_now["occlusion"] = use
    names = {p.value for p in parts}
    return replace(
        rest,
        textures=uses_now,
        metallic=1.0 if "metallic" in names else material.metallic,
        roughness=1.0 if names & {"roughness", "glossiness"} else material.roughness,
    )


def _apply(scene: Scene, settings: Pack, resources: Content, job: Job) -> Outcome:
    parts = parse_pattern(settings.pattern)
    return Outcome(
        *changed_materials(scene, settings, job, lambda m, t: _packed(m, t, parts, settings.always))
    )


register(
    Step(
        id="pack",
        name="Pack",
        desk="surface",
        order=85,
        phase="together",
        about="Brings values of a material into the channels of one texture, by a pattern.",
        settings=Pack,
        apply=_apply,
        summary=lambda s: " ".join(p.text()[:3] for p in parse_pattern(s.pattern))[:18],
        plural=True,
        placements=True,
    )
)
