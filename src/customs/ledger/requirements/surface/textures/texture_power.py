"""Texture edges are powers of two, where the sheet asks for that."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.ledger.texture import edges, is_power, readable
from customs.scene.model import Image
from customs.surface.pixels import image_info
from customs.surface.resize import fitted


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.textures
    if not rules.power_of_two:
        return

    def fix(image: Image) -> Remedy | None:
        info = image_info(image)
        width, height = (
            fitted(info.width, info.height, rules.max_edge, True, rules.square) if info else (0, 0)
        )
        values: dict[str, Any] = {"limit": rules.max_edge, "power_of_two": True, "square": rules.square}
        return remedy("resize", f"Resize to {width} × {height}", **values)

    bad = [(im, said(edges(im), edges(im))) for im in readable(case.after) if not is_power(im)]
    before = sum(not is_power(im) for im in readable(case.before))
    note = "Stretched, blurred or refused there."
    yield from elements(rule, bad, "image", "power of two", f"{before} are not", "all are", "held", note, fix)


register(Requirement("texture-power", "Texture edges", "surface", _judge, step="resize"))
