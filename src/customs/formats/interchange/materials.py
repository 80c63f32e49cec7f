"""Materials and textures of an import, in glTF 2.0 terms."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

import numpy as np

from customs.aside.pack import Answer
from customs.formats.opacity import shown_opacity
from customs.formats.source import Source
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.key import Key
from customs.scene.model import Image, Material, Sampler, TextureUse
from customs.surface.pixels import probe

Json = dict[str, Any]
KINDS = {
    1: "base_colour", 12: "base_colour", 2: "specular", 4: "emissive", 14: "emissive", 5: "height", 6: "normal",
    13: "normal", 7: "glossiness", 8: "opacity", 3: "occlusion", 10: "occlusion", 17: "occlusion", 15: "metallic", 16: "roughness",
    27: "metallic_roughness",
}  # fmt: skip
"""Roles by the library's texture types (material.h); the later in this table wins over the earlier of one
role.
"""
WRAP = {0: 10497, 1: 33071, 2: 33648, 3: 33071}
"""glTF wrap modes by the library's (wrap, clamp, mirror, decal)."""
UNLIT, PBR = 9, 11


class MaterialBuilder:
    """Materials and the images they name."""

    def __init__(self, imported: Answer, source: Source, digest: str) -> None:
        self.imported, self.source, self.digest = imported, source, digest
        self.images: list[Image] = []
        self._known: dict[str, int] = {}

    def material(self, table: Sequence[Sequence[Any]], number: int) -> Material:
        """One material from its properties [key, semantic, index, value]."""
        plain = {str(key): value for key, semantic, _, value in table if semantic == 0}
        textures = self._textures(table)
        colour = _colour(plain.get("$clr.base")) or _colour(plain.get("$clr.diffuse")) or (0.8, 0.8, 0.8)
        if "base_colour" in textures and max(colour) == 0:
            colour = (1.0, 1.0, 1.0)
        name = str(plain.get("?mat.name") or f"material {number}")
        opacity = shown_opacity(float(np.clip(_number(plain, "$mat.opacity", 1.0), 0, 1)), name, self.source)
        metallic = _number(
            plain, "$mat.metallicFactor", 1.0 if {"metallic", "metallic_roughness"} & set(textures) else 0.0
        )
        shading = int(_number(plain, "$mat.shadingm", 0))
        emissive = _colour(plain.get("$clr.emissive")) or (0.0, 0.0, 0.0)
        if "emissive" in textures and max(emissive) == 0:
            emissive = (1.0, 1.0, 1.0)
        return Material(
            key=Key(self.digest, "material", number),
            name=name,
            model="unlit" if shading == UNLIT else "pbr",
            base_colour=(*colour, opacity),
            metallic=float(np.clip(metallic, 0, 1)),
            roughness=_roughness(plain, textures),
            emissive=emissive,
            alpha_mode=cast(Any, self._alpha(opacity, textures)),
            double_sided=bool(_number(plain, "$mat.twosided", 0)),
            textures=textures,
        )

    def _alpha(self, opacity: float, textures: dict[str, TextureUse]) -> str:
        if opacity < 0.999:
            return "blend"
        if "opacity" not in textures:
            return "opaque"
        if "base_colour" in textures and textures["opacity"].image == textures["base_colour"].image:
            del textures["opacity"]
        return "mask"

    def _textures(self, table: Sequence[Sequence[Any]]) -> dict[str, TextureUse]:
        out: dict[str, TextureUse] = {}
        files = {(kind, index): value for key, kind, index, value in table if key == "$tex.file"}
        more = {
            (str(key), kind, index): value
            for key, kind, index, value in table
            if str(key).startswith("$tex.")
        }
        for kind, role in KINDS.items():
            name = files.get((kind, 0))
            if name and isinstance(name, str):
                out[role] = self._use(name, kind, more)
        for kind, index in files:
            if kind not in KINDS or index > 0:
                self.source.remark(
                    f"texture {files[kind, index]} of kind {kind}, layer {index} has no place in glTF; left out"
                )
        return out

    def _use(self, name: str, kind: int, more: dict[tuple[str, int, int], Any]) -> TextureUse:
        modes = [WRAP.get(int(_first(more.get((f"$tex.mapmode{a}", kind, 0)), 0)), 10497) for a in "uv"]
        moved = more.get(("$tex.uvtrafo", kind, 0))
        texcoord = max(0, int(_first(more.get(("$tex.uvwsrc", kind, 0)), 0)))
        use = TextureUse(self.image(name), texcoord, Sampler(wrap_s=modes[0], wrap_t=modes[1]))
        if isinstance(moved, list) and len(moved) == 5 and np.isfinite(moved).all():
            use = replace(use, offset=(moved[0], moved[1]), scale=(moved[2], moved[3]), rotation=moved[4])
        return use

    def image(self, name: str) -> int:
        """The image called `name`: one inside the file, or a file beside it."""
        if name in self._known:
            return self._known[name]
        number = len(self.images)
        self._known[name] = number
        inside = self._inside(name)
        # What lies inside is named by the file it was, where that is known.
        uri = inside["file"] if inside is not None and inside["file"] else name
        stem = uri.replace("\\", "/").rsplit("/", 1)[-1].rsplit(".", 1)[0] or f"texture {number}"
        image = Image(Key(self.digest, "image", number), stem.replace("*", "texture "), uri=uri)
        if inside is not None:
            image = self._embedded(image, inside)
        else:
            path = self._beside(name)
            image = replace(
                image,
                content=self.source.encoded(path) if path else None,
                problem="" if path else f"{name} is not there",
            )
        self.images.append(replace(image, problem=probe(image)))
        return number

    def _beside(self, name: str) -> Path | None:
        """The file a texture's path leads to inside the folder, else one of its name beside the model."""
        short = name.replace("\\", "/").rsplit("/", 1)[-1]
        if not self.source.has(name) and short != name and self.source.has(short):
            self.source.remark(f"texture {name} is not there; {short} beside the file is taken for it")
            return self.source.companion(short, "texture")
        return self.source.companion(name, "texture")

    def _inside(self, name: str) -> Json | None:
        textures: list[Json] = self.imported.header["textures"]
        if (number := re.fullmatch(r"\*([0-9]{1,9})", name)) and int(number[1]) < len(textures):
            return textures[int(number[1])]
        short = name.replace("\\", "/").rsplit("/", 1)[-1]
        return next(
            (t for t in textures if t["file"] and t["file"].replace("\\", "/").rsplit("/", 1)[-1] == short),
            None,
        )

    def _embedded(self, image: Image, texture: Json) -> Image:
        data = self.imported.array(texture["data"])
        if texture["height"]:
            pixels = data.reshape(texture["height"], texture["width"], 4)[..., [2, 1, 0, 3]]
            return replace(image, pixels=frozen(pixels, np.uint8))
        if not len(data):
            return replace(image, problem=f"{image.uri} is empty inside the file")
        return replace(image, content=Encoded(data.tobytes()))


def _first(value: Any, default: float) -> float:
    if isinstance(value, list):
        value = value[0] if value else default
    return float(value) if isinstance(value, int | float) and np.isfinite(value) else default


def _number(plain: dict[str, Any], key: str, default: float) -> float:
    return _first(plain.get(key), default)


def _colour(value: Any) -> tuple[float, float, float] | None:
    if not isinstance(value, list) or len(value) < 3 or not np.isfinite(value[:3]).all():
        return None
    return cast(tuple[float, float, float], tuple(float(v) for v in np.clip(value[:3], 0, 1)))


def _roughness(plain: dict[str, Any], textures: dict[str, TextureUse]) -> float:
    """Stated, or from the Phong exponent: alpha = sqrt(2 / (n + 2)) (Walter et al. 2007), roughness =
    sqrt(alpha).

    The library also guesses a roughness from an exponent, 1 - sqrt(n) / 10: nothing for every glossy
    material, so a guess is told from a stated roughness and the exponent taken instead.
    """
    exponent = max(_number(plain, "$mat.shininess", 0.0), 0.0)
    guessed = (
        exponent > 0 and abs(_number(plain, "$mat.roughnessFactor", 1.0) - (1 - exponent**0.5 / 10)) < 1e-3
    )
    if "$mat.roughnessFactor" in plain and not guessed:
        return float(np.clip(_number(plain, "$mat.roughnessFactor", 1.0), 0, 1))
    if "$mat.glossinessFactor" in plain:
        return float(np.clip(1 - _number(plain, "$mat.glossinessFactor", 0.0), 0, 1))
    if {"roughness", "glossiness", "metallic_roughness"} & set(textures):
        return 1.0
    return float(np.clip((2 / (exponent + 2)) ** 0.25, 0, 1))
