"""Values of a material as pictures of one channel, wherever they come from; packed into textures and taken
apart.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.model import Image, Material, TextureUse
from customs.surface.files.pillow import to_eight
from customs.surface.kept import kept_of_pixels
from customs.surface.pattern import CHANNELS, Part, parse_pattern
from customs.surface.pixels import image_info, pixels_or_none
from customs.surface.resize import resize

F32 = npt.NDArray[np.float32]
U8 = npt.NDArray[np.uint8]
Value = F32 | float
LAYOUT = "channels"
"""Key in the extras of a `parameters` texture's use: the pattern it was packed by."""
# Where each value may be found: (role, channel, inverted), the first that is there counts.
SOURCES: Mapping[str, tuple[tuple[str, int, bool], ...]] = {
    "occlusion": (("occlusion", 0, False),),
    "roughness": (("metallic_roughness", 1, False), ("roughness", 0, False), ("glossiness", 0, True),
                  ("specular_glossiness", 3, True)),
    "metallic": (("metallic_roughness", 2, False), ("metallic", 0, False)),
    "specular": (("specular", 0, False),),
    "opacity": (("opacity", 0, False), ("base_colour", 3, False), ("diffuse", 3, False)),
    "height": (("height", 0, False),),
}  # fmt: skip


def source_of(material: Material, images: Sequence[Image], value: str) -> tuple[TextureUse, int, bool] | None:
    """(use, channel, inverted) of the texture a value comes from, or None when it is a factor alone."""
    if value == "glossiness":
        found = source_of(material, images, "roughness")
        return (found[0], found[1], not found[2]) if found else None
    packed = material.textures.get("parameters")
    if packed is not None:
        for part in parse_pattern(str(packed.extras.get(LAYOUT, "R=occlusion"))):
            if part.value in (value, {"roughness": "glossiness"}.get(value)):
                return packed, CHANNELS.index(part.channel), part.inverted != (part.value != value)
    for role, channel, inverted in SOURCES[value]:
        use = material.textures.get(role)
        if use is not None and images[use.image].there and channel < _channels(images[use.image]):
            return use, channel, inverted
    return None


def _channels(image: Image) -> int:
    info = image_info(image) if not image.problem else None
    # A grey texture in a role of several channels says the same in each.
    return 0 if info is None else 3 if info.channels == 1 else info.channels


def factor_of(material: Material, value: str) -> float:
    """The factor a value's texture is multiplied by; without a texture it is the value."""
    m = material
    old = m.model == "specular_glossiness"
    if value == "glossiness":
        return 1 - factor_of(m, "roughness")
    table = {
        "occlusion": 1.0,
        "roughness": 1 - m.glossiness if old else m.roughness,
        "metallic": 0.0 if old else m.metallic,
        "specular": 0.5,
        "opacity": m.diffuse[3] if old else m.base_colour[3],
        "height": 0.5,
    }
    return float(table[value])


def value_of(material: Material, images: Sequence[Image], value: str) -> Value:
    """A value 0..1 as (H, W) float32 where a texture gives it, with its factor; else a number."""
    found = source_of(material, images, value)
    if value == "glossiness":
        rough = value_of(material, images, "roughness")
        return 1 - rough
    factor = factor_of(material, value)
    if found is None:
        return factor
    use, channel, inverted = found
    pixels = pixels_or_none(images[use.image])
    if pixels is None:
        return factor
    plane = pixels[:, :, min(channel, pixels.shape[2] - 1)].astype(np.float32) / np.float32(
        np.iinfo(pixels.dtype).max
    )
    if inverted:
        # glossinessFactor multiplies glossiness, so it is brought in before turning over.
        gloss = 1 - factor if material.model == "specular_glossiness" else 1.0
        return 1 - plane * gloss
    if value == "occlusion":
        return 1 + (plane - 1) * np.float32(use.strength)
    return plane * np.float32(factor) if value in ("roughness", "metallic", "opacity") else plane


def packed(material: Material, images: Sequence[Image], parts: Sequence[Part]) -> U8:
    """Texture (H, W, channels) of a pattern, as large as the largest texture it draws on; 1 × 1 when all are
    numbers.
    """
    values = [p.constant if not p.value else value_of(material, images, p.value) for p in parts]
    values = [1 - v if p.inverted else v for p, v in zip(parts, values)]
    return stacked(values)


def stacked(values: Sequence[Value]) -> U8:
    """Values 0..1 side by side as channels (H, W, C) uint8, smaller ones brought to the size of the
    largest.
    """
    sizes = [v.shape for v in values if isinstance(v, np.ndarray)]
    height = max((s[0] for s in sizes), default=1)
    width = max((s[1] for s in sizes), default=1)
    planes = [_plane(v, width, height) for v in values]
    return np.ascontiguousarray(np.stack(planes, axis=-1))


def _plane(value: Value, width: int, height: int) -> U8:
    if not isinstance(value, np.ndarray):
        return np.full((height, width), np.clip(round(float(value) * 255), 0, 255), np.uint8)
    plane = np.clip(np.round(value * 255), 0, 255).astype(np.uint8)
    return resize(plane[:, :, None], width, height, colour=False)[:, :, 0]


def same_size(
    a: npt.NDArray[Any], b: npt.NDArray[Any], colour: bool = False
) -> tuple[npt.NDArray[Any], npt.NDArray[Any]]:
    """Both textures in eight bits at the larger of the two sizes."""
    a, b = to_eight(a), to_eight(b)
    height, width = max(a.shape[0], b.shape[0]), max(a.shape[1], b.shape[1])
    return resize(a, width, height, colour), resize(b, width, height, colour)


def grey(image: Image) -> bool:
    """True when red, green and blue say the same, or the pixels cannot be read."""

    def found() -> bool:
        pixels = pixels_or_none(image)
        if pixels is None or pixels.shape[2] < 3:
            return True
        spread = pixels[:, :, :3].max(axis=2).astype(np.int32) - pixels[:, :, :3].min(axis=2)
        return bool((spread <= 2 * np.iinfo(pixels.dtype).max // 255).mean() > 0.999)

    return kept_of_pixels("grey", image, found)
