"""What of a material is drawn: textures that come apart or packed otherwise are brought to the places the
shader has.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from customs.picture.programs import LAYER_SLOTS, SLOTS
from customs.scene.arrays import frozen
from customs.scene.kept import latest
from customs.scene.key import Key
from customs.scene.model import Image, Material, TextureUse
from customs.surface.channels import packed, same_size, source_of
from customs.surface.pattern import parse_pattern
from customs.surface.pixels import pixels_or_none
from customs.surface.transparency import with_alpha

ORM = parse_pattern("R=occlusion G=roughness B=metallic")
LOOSE = {"roughness", "metallic", "glossiness", "parameters", "specular_glossiness"}
DRAWN = frozenset((*SLOTS, *LAYER_SLOTS))
Uses = Mapping[str, tuple[Image, TextureUse]]


@dataclass(frozen=True, eq=False)
class Appearance:
    """Textures by place in the shader, and the factors that go with them."""

    uses: Uses
    metallic: float
    roughness: float


def appearance(material: Material, images: Sequence[Image]) -> Appearance:
    """How a material is drawn; worked out once as long as it and its images stay."""
    mark = tuple((r, id(images[u.image])) for r, u in material.textures.items())
    return latest("appearance", material, mark, lambda: _made(material, images))


def _made(material: Material, images: Sequence[Image]) -> Appearance:
    uses = {r: (images[u.image], u) for r, u in material.textures.items() if r in DRAWN}
    if "diffuse" in material.textures:
        uses["base_colour"] = (images[material.textures["diffuse"].image], material.textures["diffuse"])
    old = material.model == "specular_glossiness"
    metallic, roughness = (0.0, 1 - material.glossiness) if old else (material.metallic, material.roughness)
    if LOOSE & set(material.textures):
        found = next(
            (f[0] for v in ("roughness", "metallic", "occlusion") if (f := source_of(material, images, v))),
            None,
        )
        if found is not None:
            image = Image(
                Key("drawn", "image", 0), "packed", pixels=frozen(packed(material, images, ORM), "u1")
            )
            use = replace(found, strength=1.0)
            uses["metallic_roughness"] = (image, use)
            if "parameters" in material.textures and "occlusion" not in uses:
                uses["occlusion"] = (image, use)
            metallic = roughness = 1.0
    if "opacity" in material.textures:
        _with_opacity(material, images, uses)
    return Appearance(uses, metallic, roughness)


def _with_opacity(
    material: Material, images: Sequence[Image], uses: dict[str, tuple[Image, TextureUse]]
) -> None:
    base, opacity = uses.get("base_colour"), pixels_or_none(images[material.textures["opacity"].image])
    pixels = pixels_or_none(base[0]) if base is not None else None
    if base is None or pixels is None or opacity is None:
        return
    colour, alpha = same_size(pixels, opacity)
    image = Image(Key("drawn", "image", 1), "cut", pixels=frozen(with_alpha(colour, alpha), "u1"))
    uses["base_colour"] = (image, base[1])
