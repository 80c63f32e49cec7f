"""Looks beyond the core of glTF 2.0, turned into the nearest the core has.

What a layer reflects by itself has no place in the core; what it does to the colour, the roughness and the alpha below it
has. Sources: the extensions' own equations where they have one (named at each); the rest is common practice.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace

import numpy as np

from customs.scene.layers import REST, Layer, layers_in_use, without_layers
from customs.scene.model import Material

Change = Callable[[Material], Material]
CLEAREST = 0.1
"""Alpha below which glass would not be seen at all."""
GLASS = "opacity"
"""The role that says, in the core's own terms, where light goes through."""


def number(material: Material, name: str) -> float:
    """A value of a layer, as it is at rest where nothing is said."""
    value = material.layers.get(name, REST[name])
    assert isinstance(value, float)
    return value


def colour(material: Material, name: str) -> tuple[float, ...]:
    """A colour of a layer, linear."""
    value = material.layers.get(name, REST[name])
    assert isinstance(value, tuple)
    return value


def _coated(material: Material) -> Material:
    """Half of what a dielectric under a clearcoat reflects comes from the coat: its roughness counts half."""
    share = 0.5 * number(material, "clearcoat") * (1 - material.metallic)
    rough = material.roughness + share * (number(material, "clearcoat_roughness") - material.roughness)
    return replace(material, roughness=float(np.clip(rough, 0, 1)))


def _clear(material: Material) -> Material:
    """Light that goes through is alpha, as far as it goes through (KHR_materials_transmission: the core's alpha is
    coverage, and the nearest there is).
    """
    share = number(material, "transmission") * (1 - material.metallic)
    if share == 0:
        return material
    *rgb, alpha = material.base_colour
    tint = attenuated(material)
    r, g, b = (c * t for c, t in zip(rgb, tint))
    if "transmission" in material.textures:
        # Where it goes through is told by its texture, which the step turns into one of opacity.
        return replace(material, base_colour=(r, g, b, alpha), alpha_mode="blend")
    return replace(material, base_colour=(r, g, b, alpha * max(1 - share, CLEAREST)), alpha_mode="blend")


def attenuated(material: Material) -> tuple[float, ...]:
    """What is left of white behind the thickness: T(x) = c^(x/d), KHR_materials_volume, "Attenuation"."""
    thickness, distance = number(material, "thickness"), number(material, "attenuation_distance")
    if thickness == 0 or math.isinf(distance) or distance <= 0:
        return (1.0, 1.0, 1.0)
    return tuple(c ** (thickness / distance) for c in colour(material, "attenuation_colour"))


def _brushed(material: Material) -> Material:
    """The geometric mean of the widths along and across: αt = mix(α, 1, strength²), αb = α
    (KHR_materials_anisotropy, "Individual lobes").
    """
    alpha = material.roughness**2
    along = alpha + (1 - alpha) * number(material, "anisotropy") ** 2
    return replace(material, roughness=float((along * alpha) ** 0.25))


def _velvet(material: Material) -> Material:
    """The sheen's own light is a tenth or so of what falls on it at most angles: its colour is added by that."""
    r, g, b = (min(c + 0.1 * s, 1.0) for c, s in zip(material.base_colour, colour(material, "sheen_tint")))
    return replace(material, base_colour=(r, g, b, material.base_colour[3]))


def _same(material: Material) -> Material:
    return material


NEAREST: Mapping[str, tuple[Change, str]] = {
    "VRMC_materials_mtoon": (_same, "it has its colour without steps, rim and outline"),
    "KHR_materials_ior": (_same, "it reflects 4 % head-on"),
    "KHR_materials_specular": (_same, "it reflects 4 % head-on, in white"),
    "KHR_materials_clearcoat": (_coated, "the coat's roughness counts half"),
    "KHR_materials_transmission": (_clear, "light that goes through became alpha"),
    "KHR_materials_volume": (
        _same,
        "what its thickness does to light is in the colour, where light goes through",
    ),
    "KHR_materials_sheen": (_velvet, "a tenth of the sheen is in the colour"),
    "KHR_materials_iridescence": (_same, "it has one colour from all sides"),
    "KHR_materials_anisotropy": (_brushed, "it is as rough all round as it was along and across together"),
    "KHR_materials_dispersion": (_same, "light is not split"),
    "KHR_materials_diffuse_transmission": (_same, "no light comes through from behind"),
}
"""What becomes of each extension, and the words for it."""


def nearest(material: Material, kept: Iterable[str]) -> tuple[Material, list[Layer]]:
    """(the material in the core's terms but for the extensions `kept`, what was turned). Its textures stay."""
    gone = [x for x in layers_in_use(material.layers, material.textures) if x.extension not in set(kept)]
    out = material
    for layer in gone:
        out = NEAREST[layer.extension][0](out)
    return (replace(out, layers=without_layers(material.layers, gone)), gone) if gone else (material, [])
