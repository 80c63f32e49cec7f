"""MTL material libraries, in and out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, cast

import numpy as np

from customs.formats.opacity import seen_opacity, shown_opacity
from customs.formats.source import Source, decode_text
from customs.scene.key import Key
from customs.scene.model import Image, Material, Sampler, TextureUse
from customs.surface.classify import holds_normals
from customs.surface.pixels import pixels_or_none, probe

OPTIONS = {"-blendu": 1, "-blendv": 1, "-bm": 1, "-boost": 1, "-cc": 1, "-clamp": 1, "-imfchan": 1, "-mm": 2, "-o": 3,
           "-s": 3, "-t": 3, "-texres": 1, "-type": 1}  # fmt: skip
"""Options of texture statements and the most words each takes ("Material Library File" appendix)."""
NUMBERS = ("kd", "ks", "ke", "ka", "d", "tr", "ns", "ni", "pr", "pm")
"""Statements that take numbers alone (`d` may have -halo before, the colours `spectral` or `xyz`)."""
WRAP_CLAMP = 33071
LOOSE_STATEMENTS = {"roughness": "map_Pr", "metallic": "map_Pm", "specular": "map_Ks", "glossiness": "map_Ns",
                    "opacity": "map_d", "height": "bump"}  # fmt: skip
"""Statements of textures that hold one value ("Material Library File" appendix; map_Pr and map_Pm are common
practice).
"""


@dataclass
class Library:
    """Materials and images collected from the libraries of one OBJ."""

    source: Source
    digest: str
    images: list[Image] = field(default_factory=list)
    materials: dict[str, Material] = field(default_factory=dict)
    _known: dict[str, int] = field(default_factory=dict)
    _numbers: dict[str, int] = field(default_factory=dict)

    def load(self, name: str) -> None:
        """Read the library called `name`; a missing one is a remark and is noted as absent."""
        if " " in name and not self.source.has(name):
            # Several libraries in one statement ("Object Files" appendix, mtllib filename1 filename2 …).
            for part in name.split():
                self.load(part)
            return
        path = self.source.companion(name, "mtllib")
        if path is None:
            self.source.remark(f"material library {name} is not there; its materials are plain grey")
            return
        folder = self.source.at(path)
        block: dict[str, str] = {}
        for number, line in enumerate(decode_text(folder.data).splitlines(), 1):
            key, _, rest = line.strip().replace("\t", " ").partition(" ")
            rest = rest.strip()
            if key.lower() in NUMBERS and not _all_numbers(rest):
                self.source.remark(f"{name} line {number}: {key} {rest} is not in numbers and is passed over")
                continue
            if key == "newmtl":
                self._close(block, folder)
                block = {"newmtl": rest}
            elif key and not key.startswith("#"):
                block.setdefault(key.lower(), rest)
        self._close(block, folder)
        self.source.touched += folder.touched
        self.source.absent += folder.absent
        self.source.remarks += folder.remarks

    def named(self, name: str) -> int:
        """Index of the material `name`; a grey one is made where no library has it."""
        if name not in self.materials:
            if self.materials or name:
                self.source.remark(f"material {name or 'without a name'} is in no library; drawn plain grey")
            key = Key(self.digest, "material", len(self.materials))
            self.materials[name] = Material(
                key, name or "material", base_colour=(0.6, 0.6, 0.6, 1), metallic=0, roughness=1
            )
        if name not in self._numbers:
            self._numbers[name] = list(self.materials).index(name)
        return self._numbers[name]

    def _close(self, block: dict[str, str], folder: Source) -> None:
        if "newmtl" in block:
            self.materials[block["newmtl"]] = self._material(block, folder)

    def _material(self, block: dict[str, str], folder: Source) -> Material:
        uses: dict[str, TextureUse] = {}
        for key, slot in (
            ("map_kd", "base_colour"),
            ("map_ke", "emissive"),
            ("norm", "normal"),
            ("map_ka", "occlusion"),
        ):
            if key in block and (found := self._use(block[key], folder)) is not None:
                if slot != "occlusion" or found[1].get("-imfchan") == ["r"]:
                    uses[slot] = found[0]
        left = self._bump(block, folder, uses)
        self._data(block, folder, uses)
        ns, pr, pm = _number(block, "ns", -1.0), _number(block, "pr", -1.0), _number(block, "pm", -1.0)
        # Phong exponent to roughness: alpha = sqrt(2 / (n + 2)) (Walter et al. 2007), roughness = sqrt(alpha)
        # (glTF 2.0, B.2).
        mapped = {"roughness", "glossiness", "metallic_roughness"} & set(uses)
        rough = pr if pr >= 0 else 1.0 if mapped else (2 / (max(ns, 0) + 2)) ** 0.25 if ns >= 0 else 1.0
        opacity = shown_opacity(_number(block, "d", 1 - _number(block, "tr", 0.0)), block["newmtl"], folder)
        kd = _triple(block, "kd", (0.8, 0.8, 0.8) if "map_kd" not in block else (1.0, 1.0, 1.0))
        if "base_colour" in uses and kd == (0.0, 0.0, 0.0):
            kd = (1.0, 1.0, 1.0)
        mode = self._alpha(block, folder, uses, opacity, left)
        return Material(
            key=Key(self.digest, "material", len(self.materials)),
            name=block["newmtl"],
            base_colour=(*kd, float(np.clip(opacity, 0, 1))),
            metallic=float(np.clip(pm, 0, 1))
            if pm >= 0
            else 1.0
            if {"metallic", "metallic_roughness"} & set(uses)
            else 0.0,
            roughness=float(np.clip(rough, 0, 1)),
            emissive=_triple(block, "ke", (1.0, 1.0, 1.0) if "emissive" in uses else (0.0, 0.0, 0.0)),
            alpha_mode=cast(Any, mode),
            textures=uses,
            extras={"mtl": left} if left else {},
        )

    def _alpha(
        self,
        block: dict[str, str],
        folder: Source,
        uses: dict[str, TextureUse],
        opacity: float,
        left: dict[str, str],
    ) -> str:
        if "map_d" in block:
            found = self._use(block["map_d"], folder)
            if found is not None and "base_colour" in uses and found[0].image == uses["base_colour"].image:
                pixels = pixels_or_none(self.images[found[0].image])
                alpha = pixels[:, :, -1] if pixels is not None and pixels.shape[2] in (2, 4) else None
                half = alpha is not None and float(((alpha > 10) & (alpha < 245)).mean()) > 0.35
                return "blend" if half or opacity < 1 else "mask"
            if found is not None:
                uses["opacity"] = found[0]
                return "blend" if opacity < 0.999 else "mask"
        return "blend" if opacity < 0.999 else "opaque"

    def _bump(self, block: dict[str, str], folder: Source, uses: dict[str, TextureUse]) -> dict[str, str]:
        """`bump` is a height map by the book and a normal map in much of the trade: its own pixels decide."""
        for key in ("map_bump", "bump"):
            if key not in block or "normal" in uses:
                continue
            found = self._use(block[key], folder)
            if found is None:
                return {key: block[key]}
            pixels = pixels_or_none(self.images[found[0].image])
            uses["normal" if pixels is not None and holds_normals(pixels) else "height"] = found[0]
        return {}

    def _data(self, block: dict[str, str], folder: Source, uses: dict[str, TextureUse]) -> None:
        """Roughness and metallic maps: one packed texture where both name the green and blue of one image,
        else apart.
        """
        rough, metal = block.get("map_pr"), block.get("map_pm")
        if rough and metal:
            a, c = self._use(rough, folder), self._use(metal, folder)
            if (
                a
                and c
                and a[0].image == c[0].image
                and (a[1].get("-imfchan"), c[1].get("-imfchan")) == (["g"], ["b"])
            ):
                uses["metallic_roughness"] = a[0]
                return
        for key, slot in (
            ("map_pr", "roughness"),
            ("map_pm", "metallic"),
            ("map_ks", "specular"),
            ("map_ns", "glossiness"),
        ):
            found = self._use(block[key], folder) if key in block else None
            if found is not None and (slot != "glossiness" or "roughness" not in uses):
                uses[slot] = found[0]

    def _use(self, text: str, folder: Source) -> tuple[TextureUse, dict[str, list[str]]] | None:
        name, options = split_options(text)
        if not name:
            return None
        if name not in self._known:
            path = folder.companion(name, "texture")
            clean = name.replace("\\", "/").rsplit("/", 1)[-1]
            key = Key(self.digest, "image", len(self.images))
            problem = "" if path else f"{name} is not there"
            image = Image(
                key,
                clean.rsplit(".", 1)[0],
                folder.encoded(path) if path else None,
                uri=name,
                problem=problem,
            )
            trouble = probe(image)
            self._known[name] = len(self.images)
            self.images.append(
                image if trouble == problem else Image(**{**image.__dict__, "problem": trouble})
            )
        clamp = options.get("-clamp") == ["on"]
        sampler = Sampler(wrap_s=WRAP_CLAMP, wrap_t=WRAP_CLAMP) if clamp else Sampler()
        scale = _pair(options.get("-s"), (1.0, 1.0))
        shift = _pair(options.get("-o"), (0.0, 0.0))
        strength = _word(options.get("-bm"), 1.0)
        # OBJ's V grows upward: u' = s·u + o there is (s, s) and (o_u, 1 − s_v − o_v) with V down.
        offset = (
            (shift[0], 1 - scale[1] - shift[1]) if (scale, shift) != ((1.0, 1.0), (0.0, 0.0)) else (0.0, 0.0)
        )
        return TextureUse(self._known[name], 0, sampler, strength, offset, 0.0, scale), options


def split_options(text: str) -> tuple[str, dict[str, list[str]]]:
    """(file name, options) of a texture statement. File names may hold spaces."""
    words = text.split(" ")
    options: dict[str, list[str]] = {}
    at = 0
    while at < len(words) and words[at].lower() in OPTIONS:
        option, most = words[at].lower(), OPTIONS[words[at].lower()]
        at += 1
        taken: list[str] = []
        while at < len(words) - 1 and len(taken) < most and (most == 1 or _is_number(words[at])):
            taken.append(words[at])
            at += 1
        options[option] = taken
    return " ".join(words[at:]).strip().strip('"'), options


def _all_numbers(text: str) -> bool:
    words = text.split()
    return bool(words) and all(
        _is_number(w) or w in ("-halo", "xyz", "spectral") or w.endswith(".rfl") for w in words
    )


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def _word(words: list[str] | None, default: float) -> float:
    return float(words[0]) if words and _is_number(words[0]) else default


def _pair(words: list[str] | None, default: tuple[float, float]) -> tuple[float, float]:
    numbers = [float(w) for w in words or [] if _is_number(w)]
    return (numbers[0], numbers[1] if len(numbers) > 1 else default[1]) if numbers else default


def _number(block: Mapping[str, str], key: str, default: float) -> float:
    words = block.get(key, "").split()
    value = _word(words[-1:] if words else None, default)
    return value if np.isfinite(value) else default


def _triple(
    block: Mapping[str, str], key: str, default: tuple[float, float, float]
) -> tuple[float, float, float]:
    numbers = [float(w) for w in block.get(key, "").split() if _is_number(w) and np.isfinite(float(w))]
    if len(numbers) == 1:
        numbers *= 3
    return (
        cast(tuple[float, float, float], tuple(np.clip(numbers[:3], 0, 1).tolist()))
        if len(numbers) >= 3
        else default
    )


def mtl_text(materials: tuple[Material, ...], paths: Mapping[int, str]) -> bytes:
    """The library of some materials; `paths` gives each image's path from the library."""
    lines = ["# Customs"]
    for m in materials:
        colour = m.diffuse if m.model == "specular_glossiness" else m.base_colour
        lines += ["", f"newmtl {m.name}", "Kd " + _join(colour[:3]), f"d {seen_opacity(m):.6g}"]
        lines += ["Ke " + _join(tuple(min(1.0, e) for e in m.emissive))] if any(m.emissive) else []
        lines += [f"Pr {m.roughness:.6g}", f"Pm {m.metallic:.6g}", "illum 2"]
        lines += _maps(m, paths)
    return ("\n".join(lines) + "\n").encode("utf-8")


def _maps(material: Material, paths: Mapping[int, str]) -> list[str]:
    out = []
    for slot, use in material.textures.items():
        path = paths.get(use.image)
        if path is None:
            continue
        moved = ""
        if use.scale != (1.0, 1.0) or use.offset != (0.0, 0.0):
            moved = f"-o {use.offset[0]:.6g} {1 - use.scale[1] - use.offset[1]:.6g} -s {use.scale[0]:.6g} {use.scale[1]:.6g} "
        moved += "-clamp on " if use.sampler.wrap_s == WRAP_CLAMP else ""
        if slot in ("base_colour", "diffuse"):
            out.append(f"map_Kd {moved}{path}")
            if material.alpha_mode != "opaque":
                out.append(f"map_d -imfchan m {moved}{path}")
        elif slot == "metallic_roughness":
            out += [f"map_Pr -imfchan g {moved}{path}", f"map_Pm -imfchan b {moved}{path}"]
        elif slot == "normal":
            out.append(f"norm {moved}{path}")
        elif slot == "emissive":
            out.append(f"map_Ke {moved}{path}")
        elif slot == "occlusion":
            out.append(f"map_Ka -imfchan r {moved}{path}")
        elif slot in LOOSE_STATEMENTS:
            out.append(f"{LOOSE_STATEMENTS[slot]} {moved}{path}")
    return out


def _join(values: tuple[float, ...]) -> str:
    return " ".join(f"{v:.6g}" for v in values)
