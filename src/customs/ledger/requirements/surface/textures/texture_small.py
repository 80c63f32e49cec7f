"""Textures are no smaller than the destination takes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.ledger.texture import edges, longest, readable
from customs.scene.model import Image


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.textures
    if rules.min_edge <= 1:
        return

    def fix(image: Image) -> Remedy | None:
        values: dict[str, Any] = {
            "limit": rules.max_edge,
            "power_of_two": rules.power_of_two,
            "square": rules.square,
            "least": rules.min_edge,
        }
        return remedy("resize", f"Enlarge to {rules.min_edge}", targets=(str(image.key),), **values)

    bad = [(im, said(longest(im), edges(im))) for im in readable(case.after) if longest(im) < rules.min_edge]
    before = min((longest(im) for im in readable(case.before)), default=0)
    after = min((longest(im) for im in readable(case.after)), default=0)
    least = said(rules.min_edge, f"≥ {rules.min_edge} px")
    yield from elements(
        rule, bad, "image", least, f"{before} px", f"{after} px", "held", "Refused there.", fix
    )


register(Requirement("texture-small", "Least texture edge", "surface", _judge, step="resize"))
