"""Textures have no more bits a channel than the destination takes."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import delivery_values
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.ledger.texture import readable
from customs.scene.model import Image
from customs.surface.pixels import image_info


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.textures
    allowed = rules.bits
    numbers = {im: i for i, im in enumerate(case.delivering.images)}

    def bits(image: Image) -> int:
        info = image_info(image)
        return info.bits if info else 8

    def fix(image: Image) -> Remedy | None:
        return remedy("convert-textures", "Bring to 8 bits", **delivery_values(case, numbers[image]))

    bad = [(im, said(bits(im), f"{bits(im)} bits")) for im in readable(case.after) if bits(im) not in allowed]
    words = said(tuple(allowed), " or ".join(f"{b} bits" for b in allowed))
    yield from elements(rule, bad, "image", words, words, words, "held", "Not read there.", fix)


register(Requirement("texture-bits", "Texture bit depth", "surface", _judge, step="convert-textures"))
