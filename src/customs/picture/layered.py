"""What the shader is told of materials beyond the core: their numbers. Seven of their textures are drawn
(`programs.LAYER_SLOTS`).
"""

from __future__ import annotations

from customs.scene.key import Key
from customs.scene.model import Material
from customs.surface.nearest import attenuated, colour, number

AT_REST = Material(Key("", "material", 0), "")


def lets_through(material: Material) -> bool:
    """True for what is drawn after everything that covers."""
    return number(material, "transmission") > 0 and material.metallic < 1


def layer_uniforms(material: Material | None) -> dict[str, float | tuple[float, ...]]:
    """Values of the uniforms of LAYERED, by name."""
    m = material or AT_REST
    film = (number(m, "iridescence"), number(m, "iridescence_ior"), number(m, "iridescence_thickest"))
    return {
        "ior": number(m, "ior"),
        "all_specular": (*colour(m, "specular_tint"), number(m, "specular_strength")),
        "all_coat": (number(m, "clearcoat"), number(m, "clearcoat_roughness")),
        "all_sheen": (*colour(m, "sheen_tint"), number(m, "sheen_roughness")),
        "all_film": film,
        "all_through": (*attenuated(m), number(m, "transmission") * (1 - m.metallic)),
        "behind": (*colour(m, "diffuse_transmission_tint"), number(m, "diffuse_transmission")),
    }
