"""Textures are no larger than the destination takes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.ledger.texture import edges, longest, readable
from customs.scene.model import Image


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.textures

    def fix(image: Image) -> Remedy | None:
        values: dict[str, Any] = {
            "limit": rules.max_edge,
            "power_of_two": rules.power_of_two,
            "square": rules.square,
        }
        return remedy("resize", f"Resize to {rules.max_edge}", **values)

    bad = [(im, said(longest(im), edges(im))) for im in readable(case.after) if longest(im) > rules.max_edge]
    before = max((longest(im) for im in readable(case.before)), default=0)
    after = max((longest(im) for im in readable(case.after)), default=0)
    yield from elements(
        rule,
        bad,
        "image",
        said(rules.max_edge, f"≤ {rules.max_edge} px"),
        f"{before} px",
        f"{after} px",
        "held",
        "Larger than it takes.",
        fix,
    )


register(Requirement("texture-size", "Texture edge", "surface", _judge, step="resize"))
