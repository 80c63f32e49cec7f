"""Textures are square, where the sheet asks for that."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.ledger.texture import edges, readable
from customs.scene.model import Image
from customs.surface.pixels import image_info


def _oblong(image: Image) -> bool:
    info = image_info(image)
    return info is not None and info.width != info.height


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.textures
    if not rules.square:
        return

    def fix(image: Image) -> Remedy | None:
        return remedy(
            "resize", "Make square", limit=rules.max_edge, power_of_two=rules.power_of_two, square=True
        )

    bad = [(im, said(edges(im), edges(im))) for im in readable(case.after) if _oblong(im)]
    before = sum(_oblong(im) for im in readable(case.before))
    yield from elements(
        rule, bad, "image", "square", f"{before} are not", "all are", "held", "Refused there.", fix
    )


register(Requirement("texture-square", "Square textures", "surface", _judge, step="resize"))
