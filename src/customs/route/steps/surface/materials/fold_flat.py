"""Fold: textures of one single value become factors."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.changes.materials import Textures, changed_materials, without_roles
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Material, Scene
from customs.scene.settings import Targeted
from customs.surface.colour import to_linear
from customs.surface.guess import single_value

FOLDED = ("base_colour", "metallic_roughness", "occlusion", "emissive", "metallic", "roughness", "normal")


class FoldFlat(Targeted):
    """Which materials; all when none is named."""


def _folded(m: Material, textures: Textures) -> Material:
    for role in FOLDED:
        use = m.textures.get(role)
        value = single_value(textures.images[use.image]) if use is not None else None
        if value is not None:
            m = _without(m, role, value)
    return m


def _without(material: Material, role: str, value: np.ndarray) -> Material:
    rgb = value[:3] if len(value) >= 3 else np.repeat(value[:1], 3)
    alpha = float(value[-1]) if len(value) in (2, 4) else 1.0
    out = without_roles(material, (role,))
    if role == "base_colour":
        light = to_linear(rgb) * np.array(material.base_colour[:3])
        r, g, b = (float(v) for v in light)
        return replace(out, base_colour=(r, g, b, material.base_colour[3] * alpha))
    if role == "emissive":
        r, g, b = (float(v) for v in to_linear(rgb) * np.array(material.emissive))
        return replace(out, emissive=(r, g, b))
    if role == "metallic_roughness":
        return replace(
            out, roughness=material.roughness * float(rgb[1]), metallic=material.metallic * float(rgb[2])
        )
    if role in ("metallic", "roughness"):
        return replace(out, **{role: getattr(material, role) * float(rgb[0])})
    return out


def _apply(scene: Scene, settings: FoldFlat, resources: Content, job: Job) -> Outcome:
    return Outcome(*changed_materials(scene, settings, job, _folded))


register(
    Step(
        id="fold-flat",
        name="Fold",
        desk="surface",
        order=77,
        about="Turns textures of one single value into numbers of the material.",
        settings=FoldFlat,
        apply=_apply,
        summary=lambda s: "flat → number",
        placements=True,
    )
)
