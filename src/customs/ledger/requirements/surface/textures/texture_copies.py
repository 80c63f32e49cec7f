"""Further copies of textures in other formats, where the sheet asks for them."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import delivery_values
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import elements
from customs.ledger.texture import readable
from customs.scene.model import Image


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wanted = case.sheet.textures.also
    if not wanted:
        return
    numbers = {im: i for i, im in enumerate(case.delivering.images)}
    words = " and ".join(f.upper() for f in wanted)

    def lacks(image: Image) -> bool:
        return bool(set(wanted) - {d.form for d in case.delivering.wishes.of(image.key)[1:]})

    def fix(image: Image) -> Remedy | None:
        return remedy("convert-textures", f"Write {words} too", **delivery_values(case, numbers[image]))

    bad = [(im, "no copy") for im in readable(case.after) if lacks(im)]
    yield from elements(
        rule, bad, "image", f"{words} too", "no copies", f"{words} too", "held", "Looked for there.", fix
    )


register(Requirement("texture-copies", "Copies in other formats", "surface", _judge, step="convert-textures"))
