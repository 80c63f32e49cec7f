"""Presets of materials, as data."""

from __future__ import annotations

import tomllib
from dataclasses import replace
from functools import cache
from importlib import resources
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from customs.scene.model import Material
from customs.surface.suffixes import words


class Preset(BaseModel):
    """What a kind of material is set to. `alpha` is the base colour's where no texture gives it; None leaves
    a value.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: str
    model: Literal["pbr", "unlit"] = "pbr"
    alpha_mode: Literal["opaque", "mask", "blend"] = "opaque"
    alpha_cutoff: float = Field(default=0.5, ge=0, le=1)
    double_sided: bool = False
    metallic: float = Field(default=0.0, ge=0, le=1)
    roughness: float = Field(default=0.7, ge=0, le=1)
    alpha: float | None = Field(default=None, ge=0, le=1)
    emissive: tuple[float, float, float] | None = None
    emissive_strength: float = Field(default=1.0, ge=0, le=1000)
    words: tuple[str, ...] = ()


@cache
def presets() -> dict[str, Preset]:
    """All presets by id."""
    tables = tomllib.loads((resources.files("customs.surface") / "presets.toml").read_text("utf-8"))
    return {id_: Preset.model_validate(table) for id_, table in tables.items() if isinstance(table, dict)}


def apply_preset(material: Material, preset: Preset) -> Material:
    """The material set as the preset says; its name and textures stay, and what a texture gives is not
    overruled.
    """
    m, p = material, preset
    packed = "metallic_roughness" in m.textures or "parameters" in m.textures
    alpha = m.base_colour[3] if p.alpha is None or "base_colour" in m.textures else p.alpha
    return replace(
        m,
        model=p.model,
        alpha_mode=p.alpha_mode,
        alpha_cutoff=p.alpha_cutoff,
        double_sided=p.double_sided,
        metallic=m.metallic if packed or "metallic" in m.textures else p.metallic,
        roughness=m.roughness if packed or "roughness" in m.textures else p.roughness,
        base_colour=(*m.base_colour[:3], alpha),
        emissive=m.emissive if p.emissive is None else p.emissive,
        emissive_strength=p.emissive_strength if p.emissive is not None else m.emissive_strength,
        layers={},
    )


def preset_of_name(name: str) -> str | None:
    """The preset a material's name speaks of, or None."""
    said = set(words(name))
    return next((id_ for id_, p in presets().items() if said & set(p.words)), None)
