"""Textures have the block compression the sheet asks for."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import alpha_used, delivered_block, delivery_values, roles_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.scene.model import Image
from customs.sheet.blocks import compressed, wanted_block
from customs.surface.pixels import image_info


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    blocks = case.sheet.textures.blocks
    if not compressed(blocks):
        return
    bad, places = [], {}
    for i, roles in roles_of(case.after).items():
        image = case.delivering.images[i]
        if not image.there or image_info(image) is None:
            continue
        wanted, has = (
            wanted_block(blocks, roles, alpha_used(case.after, i)),
            delivered_block(image, case.delivering.wishes),
        )
        places[image] = i
        if has != wanted:
            bad.append((image, said(has, has.upper() or "plain pixels")))
    kinds = sorted({b.upper() or "plain" for b in blocks.model_dump().values()})
    asked = said(tuple(kinds), ", ".join(kinds))

    def fix(image: Image) -> Remedy | None:
        values = delivery_values(case, places[image])
        return remedy("convert-textures", f"Write {values['block'].upper() or 'plain pixels'}", **values)

    yield from elements(rule, bad, "image", asked, "as they came", asked, "held", "Not read there.", fix)


register(Requirement("texture-block", "Block compression", "surface", _judge, step="convert-textures"))
