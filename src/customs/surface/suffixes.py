"""Roles of textures from their names: suffixes and prefixes, a table per origin."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

Table = Mapping[str, tuple[str, ...]]

COMMON: Table = {
    "base_colour": (
        "alb",
        "albedo",
        "basecolor",
        "basecolour",
        "bc",
        "color",
        "colour",
        "col",
        "diff",
        "diffuse",
        "d",
        "c",
    ),
    "normal": ("n", "nrm", "nor", "norm", "normal", "normals", "normalmap", "nm"),
    "roughness": ("r", "rough", "roughness", "rgh"),
    "glossiness": ("g", "gloss", "glossiness", "smooth", "smoothness"),
    "metallic": ("m", "met", "metal", "metallic", "metalness"),
    "specular": ("s", "spec", "specular"),
    "occlusion": ("o", "ao", "occ", "occlusion", "ambientocclusion"),
    "emissive": ("e", "em", "emis", "emissive", "emission", "glow"),
    "opacity": ("op", "opacity", "alpha", "transparency"),
    "height": ("h", "height", "disp", "displacement", "bump"),
    "metallic_roughness": ("orm", "arm", "mr", "metallicroughness", "metalrough"),
    "specular_glossiness": ("sg", "specgloss", "specularglossiness"),
    "detail": ("detail", "det"),
    "detail_normal": ("dn", "detailn", "detailnormal"),
}
"""Usual suffixes; there is no universal table (common practice). An origin's own come before these."""


@dataclass(frozen=True)
class Named:
    """The role a name tells, how sure (0..1), the part of the name that told it, and the name without it."""

    role: str
    sure: float
    told_by: str
    family: str


def words(stem: str) -> list[str]:
    """A file name without ending, in lower-case words: split at _ - . spaces, and where a capital begins."""
    spaced = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", stem)
    return [w for w in re.split(r"[_\-. ]+", spaced.lower()) if w]


@lru_cache(maxsize=64)
def _lookup(table: tuple[tuple[str, tuple[str, ...]], ...]) -> dict[str, str]:
    out: dict[str, str] = {}
    for role, names in table:
        for name in names:
            out.setdefault(name.lower().strip("_-. "), role)
    return out


def _roles(table: Table) -> tuple[dict[str, str], dict[str, str]]:
    own = _lookup(tuple((k, tuple(v)) for k, v in table.items()))
    return own, _lookup(tuple(COMMON.items()))


def role_of_name(stem: str, table: Table = {}) -> Named | None:  # noqa: B006 (never written to)
    """What a file name says: by its last one or two words, else by its first. None when it says nothing.

    Single letters are taken with little trust. A trailing number or version is passed over.
    """
    parts = words(stem)
    while len(parts) > 1 and re.fullmatch(r"v?\d+k?", parts[-1]):
        parts.pop()
    own, common = _roles(table)
    tries = []
    if len(parts) > 2:
        tries.append(("".join(parts[-2:]), parts[:-2]))
    if len(parts) > 1:
        tries += [(parts[-1], parts[:-1]), (parts[0], parts[1:])]
    elif parts:
        tries.append((parts[0], parts))
    for i, (word, rest) in enumerate(tries):
        prefix = len(parts) > 1 and i == len(tries) - 1
        for source, trust in ((own, 0.95), (common, 0.85)):
            if word in source and not (prefix and source is common and len(word) == 1):
                short = 0.25 if len(word) == 1 and source is common else 0.0
                return Named(source[word], trust - short - (0.1 if prefix else 0.0), word, "_".join(rest))
    return None


def family(stem: str, table: Table = {}) -> str:  # noqa: B006
    """The name without the part that tells a role: textures of one material share it."""
    named = role_of_name(stem, table)
    return named.family if named is not None else "_".join(words(stem))
