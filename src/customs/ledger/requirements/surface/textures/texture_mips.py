"""Textures come with all their mip levels, where the sheet asks for them."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import delivered_levels, delivery_values
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import elements
from customs.ledger.texture import readable
from customs.scene.model import Image


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.textures.mips:
        return
    numbers = {im: i for i, im in enumerate(case.delivering.images)}
    bad = [
        (im, "one level") for im in readable(case.after) if not delivered_levels(im, case.delivering.wishes)
    ]
    before = sum(not delivered_levels(im, case.arrived.wishes) for im in readable(case.before))

    def fix(image: Image) -> Remedy | None:
        return remedy("convert-textures", "Write mip levels", **delivery_values(case, numbers[image]))

    had = f"{before} with one level" if before else "all levels"
    yield from elements(
        rule, bad, "image", "all levels", had, "all levels", "held", "Flickers or is refused there.", fix
    )


register(Requirement("texture-mips", "Mip levels", "surface", _judge, step="convert-textures"))
