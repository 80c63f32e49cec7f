"""Textures are in a file format the destination takes."""

from __future__ import annotations

from collections.abc import Iterator

from customs.formats.image_write import delivered_form
from customs.ledger.materials import delivery_values
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.ledger.texture import readable
from customs.scene.model import SLOTS, Image


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    allowed = [f for f in case.sheet.textures.formats if f in case.format.image_forms]

    numbers = {im: i for i, im in enumerate(case.delivering.images)}

    def fix(image: Image) -> Remedy | None:
        if not allowed:
            return remedy("drop-roles", "Leave textures out", roles=SLOTS)
        return remedy(
            "convert-textures", f"Convert to {allowed[0].upper()}", **delivery_values(case, numbers[image])
        )

    bad = [
        (im, said(f, f.upper()))
        for im in readable(case.after)
        if (f := delivered_form(im, case.delivering.wishes)) not in allowed
    ]
    words = ", ".join(a.upper() for a in allowed) or "none"
    had = (
        ", ".join(sorted({delivered_form(im, case.arrived.wishes).upper() for im in readable(case.before)}))
        or "none"
    )
    now = (
        ", ".join(sorted({delivered_form(im, case.delivering.wishes).upper() for im in readable(case.after)}))
        or "none"
    )
    note = "Not read there." if allowed else f"{case.format.title} has no place for textures."
    yield from elements(rule, bad, "image", words, had, now, "held", note, fix)


register(Requirement("texture-format", "Texture format", "surface", _judge, step="convert-textures"))
