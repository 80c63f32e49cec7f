"""Textures have no more bits a channel than the destination takes."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import elements
from customs.ledger.texture import readable
from customs.scene.model import Image
from customs.surface.pixels import image_info


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.textures
    allowed = rules.bits

    def bits(image: Image) -> int:
        info = image_info(image)
        return info.bits if info else 8

    def fix(image: Image) -> Remedy:
        return remedy("convert-textures", "Bring to 8 bits", form=rules.formats[0], accept=rules.formats, bits=8)

    bad = [(im, f"{bits(im)} bits") for im in readable(case.after) if bits(im) not in allowed]
    words = " or ".join(f"{b} bits" for b in allowed)
    yield from elements(rule, bad, "image", words, words, words, "held", "Not read there.", fix)


register(Requirement("texture-bits", "Texture bit depth", "surface", _judge, step="convert-textures"))
