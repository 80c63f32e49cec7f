"""Split: packed textures taken apart into one texture a value."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np
from pydantic import Field, field_validator

from customs.changes.materials import Textures, changed_materials, without_roles
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.scene.settings import Targeted
from customs.surface.channels import grey, source_of, stacked, value_of

VALUES = ("occlusion", "roughness", "metallic", "glossiness")


class Split(Targeted):
    """Which values."""

    adds: ClassVar = ("values",)
    values: tuple[str, ...] = Field(
        default=("roughness", "metallic"), description="values that get a texture of their own"
    )

    @field_validator("values")
    @classmethod
    def _known(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for name in value:
            if name not in VALUES:
                raise ValueError(f"{name!r}: one of {', '.join(VALUES)}")
        return value


def _apart(m: Material, textures: Textures, values: tuple[str, ...]) -> Material:
    uses: dict[str, TextureUse] = {}
    plain: dict[str, float] = {}
    for name in values:
        found = source_of(m, textures.images, name)
        value = value_of(m, textures.images, name)
        if found is None or not isinstance(value, np.ndarray):
            continue
        if found[0] is m.textures.get(name) and (
            name != "occlusion" or grey(textures.images[found[0].image])
        ):
            continue
        # One value all over is a number, no texture.
        if float(np.ptp(value)) <= 1 / 255:
            plain[name] = float(value.mean())
            continue
        source = textures.images[found[0].image]
        image = Image(
            made_key(m.key, "split", name),
            f"{m.name}_{name}",
            pixels=frozen(stacked([value]), np.uint8),
            made_from=(source.key,),
        )
        uses[name] = replace(found[0], image=textures.add(image, share=True), strength=1.0, extras={})
    if not uses and not plain:
        return m
    values_apart = {"roughness", "metallic", "glossiness"} & set(values)
    gone = [r for r in ("metallic_roughness", "parameters") if r in m.textures and values_apart]
    if "glossiness" in values and "roughness" not in values:
        gone.append("roughness")
    if "roughness" in values and "glossiness" not in values:
        gone.append("glossiness")
    rest = without_roles(m, [*gone, *plain])
    if "glossiness" in plain:
        plain["roughness"] = 1 - plain.pop("glossiness")
    m = replace(m, roughness=plain.get("roughness", m.roughness), metallic=plain.get("metallic", m.metallic))
    # What a texture now says wholly is no longer multiplied.
    return replace(
        rest,
        textures={**rest.textures, **uses},
        roughness=1.0 if "roughness" in uses or "glossiness" in uses else m.roughness,
        metallic=1.0 if "metallic" in uses else m.metallic,
    )


def _apply(scene: Scene, settings: Split, resources: Content, job: Job) -> Outcome:
    return Outcome(*changed_materials(scene, settings, job, lambda m, t: _apart(m, t, settings.values)))


register(
    Step(
        id="split",
        name="Split",
        desk="surface",
        order=84,
        phase="together",
        about="Takes packed textures apart: one texture for each value.",
        settings=Split,
        apply=_apply,
        summary=lambda s: ", ".join(s.values)[:18],
        placements=True,
    )
)
