"""What a material may have beyond the core of glTF 2.0: the ratified material extensions, as one table.

Source: Khronos Group, glTF 2.0 extensions KHR_materials_* (github.com/KhronosGroup/glTF/tree/main/extensions/2.0/Khronos).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

Value = float | tuple[float, ...] | str


class Factor(NamedTuple):
    """A number or colour: its name in the scene and in the file, what it is where nothing is said, its bounds."""

    name: str
    said: str
    rest: Value
    least: float = 0.0
    most: float = math.inf


class Map(NamedTuple):
    """A texture: its role in the scene, its name in the file, the name of its strength where it has one."""

    role: str
    said: str
    strength: str = ""


@dataclass(frozen=True)
class Layer:
    """One extension; `lengths` are names of factors in units of the scene, `mark` is the name that says it is there
    where its values at rest mean something too, `edition` what it says of its own.
    """

    extension: str
    title: str
    factors: tuple[Factor, ...]
    maps: tuple[Map, ...] = ()
    lengths: tuple[str, ...] = ()
    mark: str = ""
    edition: str = ""

    def in_use(self, values: Mapping[str, Value], roles: Iterable[str]) -> bool:
        """True where a material with these values and textures says something by it."""
        if self.mark:
            return self.mark in values
        return any(f.name in values for f in self.factors) or bool({m.role for m in self.maps} & set(roles))


WHITE = (1.0, 1.0, 1.0)
BLACK = (0.0, 0.0, 0.0)
TOON = Layer(
    "VRMC_materials_mtoon",
    "toon",
    (
        Factor("toon_shade", "shadeColorFactor", WHITE, most=1.0),
        Factor("toon_shift", "shadingShiftFactor", 0.0, -1.0, 1.0),
        Factor("toon_step", "shadingToonyFactor", 0.9, most=1.0),
        Factor("toon_even_light", "giEqualizationFactor", 0.9, most=1.0),
        Factor("toon_ball", "matcapFactor", WHITE, most=1.0),
        Factor("toon_rim", "parametricRimColorFactor", BLACK, most=1.0),
        Factor("toon_rim_power", "parametricRimFresnelPowerFactor", 5.0),
        Factor("toon_rim_lift", "parametricRimLiftFactor", 0.0, least=-math.inf),
        Factor("toon_rim_light", "rimLightingMixFactor", 1.0, most=1.0),
        Factor("toon_writes_depth", "transparentWithZWrite", False),
        Factor("toon_queue", "renderQueueOffsetNumber", 0, least=-9),
        Factor("toon_outline", "outlineWidthMode", "none"),
        Factor("toon_outline_width", "outlineWidthFactor", 0.0),
        Factor("toon_outline_colour", "outlineColorFactor", BLACK, most=1.0),
        Factor("toon_outline_light", "outlineLightingMixFactor", 1.0, most=1.0),
        Factor("toon_flow_x", "uvAnimationScrollXSpeedFactor", 0.0, least=-math.inf),
        Factor("toon_flow_y", "uvAnimationScrollYSpeedFactor", 0.0, least=-math.inf),
        Factor("toon_flow_turn", "uvAnimationRotationSpeedFactor", 0.0, least=-math.inf),
    ),
    (
        Map("toon_shade", "shadeMultiplyTexture"),
        Map("toon_shift", "shadingShiftTexture", "scale"),
        Map("toon_ball", "matcapTexture"),
        Map("toon_rim", "rimMultiplyTexture"),
        Map("toon_outline_width", "outlineWidthMultiplyTexture"),
        Map("toon_flow", "uvAnimationMaskTexture"),
    ),
    ("toon_outline_width",),
    "toon",
    "1.0",
)
"""Source: VRM Consortium, "VRMC_materials_mtoon 1.0". Widths of outlines are metres, or shares of the screen's height."""
LAYERS = (
    TOON,
    Layer("KHR_materials_ior", "index of refraction", (Factor("ior", "ior", 1.5),)),
    Layer(
        "KHR_materials_specular",
        "specular",
        (
            Factor("specular_strength", "specularFactor", 1.0, most=1.0),
            Factor("specular_tint", "specularColorFactor", WHITE),
        ),
        (Map("specular_strength", "specularTexture"), Map("specular_tint", "specularColorTexture")),
    ),
    Layer(
        "KHR_materials_clearcoat",
        "clearcoat",
        (
            Factor("clearcoat", "clearcoatFactor", 0.0, most=1.0),
            Factor("clearcoat_roughness", "clearcoatRoughnessFactor", 0.0, most=1.0),
        ),
        (
            Map("clearcoat", "clearcoatTexture"),
            Map("clearcoat_roughness", "clearcoatRoughnessTexture"),
            Map("clearcoat_normal", "clearcoatNormalTexture", "scale"),
        ),
    ),
    Layer(
        "KHR_materials_transmission",
        "transmission",
        (Factor("transmission", "transmissionFactor", 0.0, most=1.0),),
        (Map("transmission", "transmissionTexture"),),
    ),
    Layer(
        "KHR_materials_volume",
        "volume",
        (
            Factor("thickness", "thicknessFactor", 0.0),
            Factor("attenuation_distance", "attenuationDistance", math.inf),
            Factor("attenuation_colour", "attenuationColor", WHITE, most=1.0),
        ),
        (Map("thickness", "thicknessTexture"),),
        ("thickness", "attenuation_distance"),
    ),
    Layer(
        "KHR_materials_sheen",
        "sheen",
        (
            Factor("sheen_tint", "sheenColorFactor", (0.0, 0.0, 0.0)),
            Factor("sheen_roughness", "sheenRoughnessFactor", 0.0, most=1.0),
        ),
        (Map("sheen_tint", "sheenColorTexture"), Map("sheen_roughness", "sheenRoughnessTexture")),
    ),
    Layer(
        "KHR_materials_iridescence",
        "iridescence",
        (
            Factor("iridescence", "iridescenceFactor", 0.0, most=1.0),
            Factor("iridescence_ior", "iridescenceIor", 1.3, least=1.0),
            Factor("iridescence_thinnest", "iridescenceThicknessMinimum", 100.0),
            Factor("iridescence_thickest", "iridescenceThicknessMaximum", 400.0),
        ),
        (
            Map("iridescence", "iridescenceTexture"),
            Map("iridescence_thickness", "iridescenceThicknessTexture"),
        ),
    ),
    Layer(
        "KHR_materials_anisotropy",
        "anisotropy",
        (
            Factor("anisotropy", "anisotropyStrength", 0.0, most=1.0),
            Factor("anisotropy_turn", "anisotropyRotation", 0.0, least=-math.inf),
        ),
        (Map("anisotropy", "anisotropyTexture"),),
    ),
    Layer("KHR_materials_dispersion", "dispersion", (Factor("dispersion", "dispersion", 0.0),)),
    Layer(
        "KHR_materials_diffuse_transmission",
        "diffuse transmission",
        (
            Factor("diffuse_transmission", "diffuseTransmissionFactor", 0.0, most=1.0),
            Factor("diffuse_transmission_tint", "diffuseTransmissionColorFactor", WHITE),
        ),
        (
            Map("diffuse_transmission", "diffuseTransmissionTexture"),
            Map("diffuse_transmission_tint", "diffuseTransmissionColorTexture"),
        ),
    ),
)
"""Iridescence's film is said in nanometres, turns in radians, thickness and attenuation in units of the scene."""

LAYER_SLOTS = tuple(m.role for layer in LAYERS for m in layer.maps)
LAYER_COLOURS = (
    "specular_tint",
    "sheen_tint",
    "diffuse_transmission_tint",
    "toon_shade",
    "toon_ball",
    "toon_rim",
)
"""Those of them that are sRGB."""
LAYER_ALPHAS = ("specular_strength", "sheen_roughness", "diffuse_transmission")
"""Those of them that are read from alpha."""
REST: Mapping[str, Value] = {f.name: f.rest for layer in LAYERS for f in layer.factors}


def layers_in_use(values: Mapping[str, Value], roles: Iterable[str]) -> list[Layer]:
    """The extensions a material with these values and textures needs, in order."""
    there = set(roles)
    return [layer for layer in LAYERS if layer.in_use(values, there)]


def without_layers(values: Mapping[str, Value], gone: Iterable[Layer]) -> dict[str, Value]:
    """The values without those of some extensions."""
    names = {n for layer in gone for n in (*(f.name for f in layer.factors), layer.mark)}
    return {k: v for k, v in values.items() if k not in names}


def scaled_layers(values: Mapping[str, Value], k: float) -> Mapping[str, Value]:
    """The values in a unit of which 1/k make one of these."""
    lengths = {name for layer in LAYERS for name in layer.lengths}
    if k == 1.0 or not lengths & values.keys():
        return values
    return {n: v * k if n in lengths and isinstance(v, float) else v for n, v in values.items()}
