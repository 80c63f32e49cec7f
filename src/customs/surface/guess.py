"""The role of a texture from its name and its pixels together, with confidence and reason."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.scene.model import Image
from customs.surface.classify import Guess, classify
from customs.surface.kept import kept_of_pixels
from customs.surface.pixels import pixels_or_none
from customs.surface.suffixes import Table, role_of_name

FITTING: Mapping[str, frozenset[str]] = {
    "normal": frozenset({"normal", "two-channel normal", "flat"}),
    "detail_normal": frozenset({"normal", "two-channel normal"}),
    "base_colour": frozenset({"colour", "grey", "emissive", "flat", "mask", "height"}),
    "diffuse": frozenset({"colour", "grey", "emissive", "flat", "mask", "height"}),
    "emissive": frozenset({"emissive", "colour", "mask", "grey", "flat", "height"}),
    "specular": frozenset({"grey", "colour", "mask", "flat", "height", "emissive"}),
    "specular_glossiness": frozenset({"grey", "colour", "mask", "flat", "packed", "height", "emissive"}),
    "metallic_roughness": frozenset(
        {"packed", "grey", "colour", "flat", "mask", "emissive", "two-channel normal"}
    ),
    "parameters": frozenset({"packed", "grey", "colour", "flat", "mask", "emissive", "two-channel normal"}),
    "occlusion": frozenset({"grey", "height", "packed", "flat", "mask"}),
    "detail": frozenset({"colour", "grey", "height", "mask"}),
}
ONE_VALUE = frozenset({"grey", "height", "mask", "flat"})
BY_CONTENT: Mapping[str, str] = {
    "normal": "normal", "two-channel normal": "normal", "colour": "base_colour", "emissive": "emissive",
    "packed": "metallic_roughness", "height": "height", "mask": "opacity", "grey": "roughness", "flat": "base_colour",
}  # fmt: skip
SURE, DOUBTFUL = 0.75, 0.5
"""From SURE on a guess is taken alone; under DOUBTFUL it says nothing."""


@dataclass(frozen=True)
class RoleGuess:
    """A role, how sure (0..1) and why; `content` is what the pixels look like, None when they cannot be
    read.
    """

    role: str
    sure: float
    reason: str
    content: Guess | None


def content_of(image: Image) -> Guess | None:
    """What the pixels look like, judged once. None when they cannot be read."""

    def judged() -> Guess | None:
        pixels = pixels_or_none(image)
        return classify(pixels) if pixels is not None and pixels.size else None

    return kept_of_pixels("content", image, judged)


NEARLY = 2
"""Levels of 255 a texture of one single value may span: what lossy compression makes of one."""


def single_value(image: Image) -> npt.NDArray[np.float32] | None:
    """The value (C,) 0..1 of a texture that is alike in every single pixel, None for any other."""

    def found() -> npt.NDArray[np.float32] | None:
        pixels = pixels_or_none(image)
        if pixels is None or not pixels.size:
            return None
        flat, top = pixels.reshape(-1, pixels.shape[2]), np.iinfo(pixels.dtype).max
        low, high = flat.min(axis=0).astype(np.int64), flat.max(axis=0).astype(np.int64)
        return (
            ((low + high) / (2 * top)).astype(np.float32)
            if ((high - low) * 255 <= NEARLY * top).all()
            else None
        )

    return kept_of_pixels("single", image, found)


def fits(role: str, content: str) -> bool:
    """True when a texture that looks like `content` can serve as `role`."""
    return content in FITTING.get(role, ONE_VALUE)


def guess_role(image: Image, table: Table = {}) -> RoleGuess:  # noqa: B006 (never written to)
    """The likeliest role of an image."""
    named, content = role_of_name(image.name, table), content_of(image)
    if named is None and content is None:
        return RoleGuess("base_colour", 0.0, "neither its name nor its pixels tell", None)
    if named is None:
        assert content is not None
        sure = content.sure * (0.9 if content.content in ("normal", "emissive", "colour") else 0.6)
        return RoleGuess(
            BY_CONTENT[content.content], sure, f"its name says nothing; {content.reason}", content
        )
    words = named.role.replace("_", " ")
    if content is None:
        return RoleGuess(named.role, named.sure, f"“{named.told_by}” in its name says {words}", None)
    if fits(named.role, content.content):
        sure = 1 - (1 - named.sure) * (1 - 0.7 * content.sure)
        return RoleGuess(
            named.role, sure, f"“{named.told_by}” in its name says {words}, and its pixels agree", content
        )
    if content.sure * 0.9 > named.sure:
        role = BY_CONTENT[content.content]
        return RoleGuess(
            role,
            0.6,
            f"its name says {words}, its pixels look like {content.content}: {content.reason}",
            content,
        )
    return RoleGuess(
        named.role, 0.55, f"its name says {words}, yet its pixels look like {content.content}", content
    )
