"""Textures of one single value, which a number says as well."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import uses, words
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.ledger.texture import edges, longest
from customs.route.steps.surface.materials.fold_flat import FOLDED
from customs.surface.guess import single_value

SMALL = 8
"""Textures up to this edge cost nothing worth a row (pixels)."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    any_bad, required = False, case.sheet.textures.required
    for m, role, _, image in uses(case.after):
        if (
            role not in FOLDED
            or role in required
            or not image.there
            or image.problem
            or longest(image) <= SMALL
        ):
            continue
        if single_value(image) is None:
            continue
        any_bad = True
        yield rule.row(
            f"{edges(image)} of one value",
            "a number",
            said(edges(image), f"{edges(image)} of one value"),
            "query",
            subject=f"{m.key} {role}",
            subject_name=f"{m.name} · {image.name}",
            note=f"Its {words(role)} is the same everywhere.",
            remedy=remedy("fold-flat", "Make it a number", targets=(str(m.key),)),
            place=Place(image.key, "image"),
        )
    if not any_bad:
        yield rule.row("none", "a number", "none", "cleared")


register(Requirement("texture-flat", "Textures of one value", "surface", _judge, step="fold-flat"))
