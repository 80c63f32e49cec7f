"""Normal maps with red and green alone, where the destination reads all three."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import used_as
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import elements
from customs.scene.model import NORMAL_SLOTS, Image
from customs.surface.guess import content_of


def _two(image: Image) -> bool:
    found = content_of(image)
    return found is not None and found.content == "two-channel normal"


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    maps = used_as(case.after, NORMAL_SLOTS)
    if not maps or case.sheet.textures.blocks.normal == "bc5":
        return
    bad = [(im, "red and green") for im in maps if _two(im)]
    before = sum(_two(im) for im in used_as(case.before, NORMAL_SLOTS))

    def fix(image: Image) -> Remedy | None:
        return remedy("complete-normal", "Work blue out", targets=(str(image.key),))

    note = "Read as three channels its blue is zero, and everything is lit along the surface."
    had = f"{before} with two" if before else "three channels"
    yield from elements(rule, bad, "image", "three channels", had, "three channels", "held", note, fix)


register(
    Requirement("normal-two-channel", "Two-channel normal maps", "surface", _judge, step="complete-normal")
)
