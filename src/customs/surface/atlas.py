"""Several materials' textures laid side by side in one, a sheet for each role."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import StepError
from customs.scene.model import Image, Material
from customs.surface.channels import packed
from customs.surface.colour import to_linear, to_srgb
from customs.surface.packing import pack_rectangles, put
from customs.surface.pattern import parse_pattern
from customs.surface.pixels import pixels_or_none
from customs.surface.resize import resize

U8 = npt.NDArray[np.uint8]
ORM = parse_pattern("R=occlusion G=roughness B=metallic")
NEUTRAL = {
    "base_colour": (0, 0, 0, 255),
    "metallic_roughness": (255, 255, 0),
    "normal": (128, 128, 255),
    "emissive": (0, 0, 0),
}
"""What fills the room between: nothing that a filter would show."""
LEAST_EDGE = 8
"""A material of plain numbers gets so many pixels in the atlas."""


@dataclass(frozen=True, eq=False)
class Atlas:
    """`edge` pixels square; `places` (x, y, width, height) of each material in it; `sheets` by role."""

    edge: int
    places: tuple[tuple[int, int, int, int], ...]
    sheets: Mapping[str, U8]


def make_atlas(materials: Sequence[Material], images: Sequence[Image], limit: int, gap: int) -> Atlas:
    """One sheet a role any of the materials uses; factors are worked into the pixels. Raises StepError when
    too large.
    """
    sizes = [_size(m, images) for m in materials]
    found = pack_rectangles(sizes, gap, limit)
    while found is None and max(max(s) for s in sizes) > LEAST_EDGE:
        sizes = [(max(w // 2, min(w, LEAST_EDGE)), max(h // 2, min(h, LEAST_EDGE))) for w, h in sizes]
        found = pack_rectangles(sizes, gap, limit)
    if found is None:
        raise StepError(
            f"{len(materials)} materials",
            f"a sheet of at most {limit} pixels",
            "Raise the limit, or choose fewer.",
        )
    edge, corners = found
    roles = {r for m in materials for r in m.textures}
    wanted = [("base_colour", 4)]
    wanted += (
        [("metallic_roughness", 3)]
        if roles & {"metallic_roughness", "occlusion", "metallic", "roughness"}
        else []
    )
    wanted += [("normal", 3)] if "normal" in roles else []
    wanted += [("emissive", 3)] if "emissive" in roles or any(any(m.emissive) for m in materials) else []
    sheets = {}
    for role, channels in wanted:
        sheet = np.zeros((edge, edge, channels), np.uint8)
        sheet[:] = NEUTRAL[role][:channels]
        for m, corner, (w, h) in zip(materials, corners, sizes):
            put(sheet, _tile(m, images, role, w, h), corner, gap, False)
        sheets[role] = sheet
    return Atlas(edge, tuple((x, y, w, h) for (x, y), (w, h) in zip(corners, sizes)), sheets)


def _size(material: Material, images: Sequence[Image]) -> tuple[int, int]:
    """Size of the largest texture of a material."""
    shapes = [
        p.shape for u in material.textures.values() if (p := pixels_or_none(images[u.image])) is not None
    ]
    return (max((s[1] for s in shapes), default=LEAST_EDGE), max((s[0] for s in shapes), default=LEAST_EDGE))


def _tile(material: Material, images: Sequence[Image], role: str, width: int, height: int) -> U8:
    """A material's part of a sheet, (height, width, C)."""
    if role == "metallic_roughness":
        return resize(packed(material, images, ORM), width, height, colour=False)
    use = material.textures.get(role)
    pixels = pixels_or_none(images[use.image]) if use is not None else None
    if role == "normal":
        flat = np.array([[[128, 128, 255]]], np.uint8)
        return resize(flat if pixels is None else pixels[:, :, :3], width, height, False, True)
    factor: Any = (
        material.base_colour
        if role == "base_colour"
        else tuple(e * material.emissive_strength for e in material.emissive)
    )
    white = np.full((1, 1, 4), 255, np.uint8)
    four = _four(white if pixels is None else pixels)
    return _tinted(resize(four, width, height, colour=True), factor, 4 if role == "base_colour" else 3)


def _four(pixels: npt.NDArray[Any]) -> U8:
    p = pixels if pixels.dtype == np.uint8 else (pixels >> 8).astype(np.uint8)
    rgb = np.repeat(p[:, :, :1], 3, axis=2) if p.shape[2] <= 2 else p[:, :, :3]
    alpha = p[:, :, -1] if p.shape[2] in (2, 4) else np.full(p.shape[:2], 255, np.uint8)
    return np.dstack([rgb, alpha])


def _tinted(pixels: U8, factor: Sequence[float], channels: int) -> U8:
    """sRGB pixels times a linear factor."""
    out = pixels[:, :, :channels].copy()
    if any(f != 1 for f in factor[:3]):
        light = to_linear(pixels[:, :, :3] / np.float32(255)) * np.array(factor[:3], np.float32)
        out[:, :, :3] = np.round(np.clip(to_srgb(light), 0, 1) * 255)
    if channels == 4 and factor[3] != 1:
        out[:, :, 3] = np.round(pixels[:, :, 3] * factor[3])
    return out
