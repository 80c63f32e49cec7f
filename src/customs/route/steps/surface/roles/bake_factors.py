"""Bake factors: numbers a texture is multiplied by, worked into its pixels for formats that cannot say them
beside it.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.changes.materials import Textures, changed_materials
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Image, Material, Scene
from customs.scene.settings import Targeted
from customs.surface.colour import to_linear, to_srgb
from customs.surface.files.pillow import to_eight
from customs.surface.pixels import pixels_or_none

U8 = npt.NDArray[np.uint8]
WHITE = (1.0, 1.0, 1.0)


class BakeFactors(Targeted):
    """Which materials."""


def factors(material: Material) -> dict[str, tuple[float, ...]]:
    """Factors that are not one, by the role of the texture they multiply: linear for colours."""
    out: dict[str, tuple[float, ...]] = {}
    base = material.base_colour[:3] + (
        (material.base_colour[3],) if material.alpha_mode != "opaque" else (1.0,)
    )
    light = tuple(e * material.emissive_strength for e in material.emissive)
    if "base_colour" in material.textures and material.model != "specular_glossiness":
        out["base_colour"] = base
    if "emissive" in material.textures and max(light) <= 1:
        out["emissive"] = light
    for role in ("normal", "occlusion"):
        if role in material.textures:
            out[role] = (material.textures[role].strength,)
    return {r: f for r, f in out.items() if any(abs(v - 1) > 1e-4 for v in f)}


def _tinted(pixels: U8, factor: tuple[float, ...]) -> U8:
    """sRGB pixels (H, W, C) times linear factors; alpha times the fourth."""
    grey = pixels.shape[2] <= 2
    rgb = np.repeat(pixels[:, :, :1], 3, axis=2) if grey else pixels[:, :, :3]
    shown = to_srgb(to_linear(rgb / np.float32(255)) * np.array(factor[:3], np.float32))
    out = np.clip(np.round(shown * 255), 0, 255).astype(np.uint8)
    alpha = pixels[:, :, -1:] if pixels.shape[2] in (2, 4) else None
    share = factor[3] if len(factor) > 3 else 1.0
    if alpha is None and share < 1:
        alpha = np.full((*pixels.shape[:2], 1), 255, np.uint8)
    if alpha is None:
        return out
    return np.concatenate([out, np.round(alpha * share).astype(np.uint8)], axis=2)


def _leaning(pixels: U8, strength: float) -> U8:
    """A normal map with its lean times `strength` (glTF 2.0, 3.9.3: x and y times the scale, then one long
    again).
    """
    v = pixels[:, :, :3].astype(np.float32) / 127.5 - 1
    v[:, :, :2] *= strength
    v /= np.maximum(np.linalg.norm(v, axis=2, keepdims=True), 1e-6)
    return np.clip(np.round((v + 1) * 127.5), 0, 255).astype(np.uint8)


def _worked(pixels: U8, role: str, factor: tuple[float, ...]) -> U8:
    if role == "normal":
        return _leaning(pixels, factor[0])
    if role == "occlusion":
        out = pixels.copy()
        # 1 + strength · (occlusion − 1), glTF 2.0, 3.9.3; the other channels are none of its business.
        out[:, :, 0] = np.clip(np.round(255 + (pixels[:, :, 0].astype(np.float32) - 255) * factor[0]), 0, 255)
        return out
    return _tinted(pixels, factor)


def _baked(material: Material, textures: Textures) -> Material:
    uses = dict(material.textures)
    done: set[str] = set()
    for role, factor in factors(material).items():
        source = textures.images[material.textures[role].image]
        pixels = pixels_or_none(source)
        if pixels is None:
            continue
        new = _worked(to_eight(pixels), role, factor)
        image = Image(
            made_key(material.key, "factors", role),
            source.name,
            pixels=frozen(new, np.uint8),
            green=source.green,
            space=source.space,
            made_from=(source.key,),
        )
        uses[role] = replace(material.textures[role], image=textures.add(image), strength=1.0)
        done.add(role)
    if not done:
        return material
    base = (
        (*WHITE, 1.0 if material.alpha_mode != "opaque" else material.base_colour[3])
        if "base_colour" in done
        else material.base_colour
    )
    lit = "emissive" in done
    return replace(
        material,
        textures=uses,
        base_colour=base,
        emissive=WHITE if lit else material.emissive,
        emissive_strength=1.0 if lit else material.emissive_strength,
    )


def _apply(scene: Scene, settings: BakeFactors, resources: Content, job: Job) -> Outcome:
    return Outcome(*changed_materials(scene, settings, job, _baked))


register(
    Step(
        id="bake-factors",
        name="Factors",
        desk="surface",
        order=79,
        about="Works the numbers textures are multiplied by into their pixels, for destinations that read the texture alone.",
        settings=BakeFactors,
        apply=_apply,
        summary=lambda s: "into textures",
        placements=True,
    )
)
