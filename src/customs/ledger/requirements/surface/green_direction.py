"""Normal maps have their green the way the destination reads it."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import SceneFacts
from customs.ledger.materials import used_as
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.scene.model import NORMAL_SLOTS, Image
from customs.surface.green import green_of, told_green
from customs.surface.guess import content_of


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wanted, origin = case.sheet.axes.green, case.delivering.convention.green
    maps = _maps(case.after)
    if not maps:
        return
    ways = {im: green_of(im, origin) for im in maps}
    bad = [(im, said((way, _told(im)), f"green {way}{_told(im)}")) for im, way in ways.items() if way != wanted]
    before = {green_of(im, origin) for im in _maps(case.before)}
    had = " and ".join(f"green {way}" for way in sorted(before)) or "none"
    note = "Lit from the wrong side: bumps look like dents."

    def fix(image: Image) -> Remedy:
        return remedy("green", "Turn green over", targets=(str(image.key),))

    yield from elements(rule, bad, "image", f"green {wanted}", had, f"green {wanted}", "held", note, fix)


def _maps(facts: SceneFacts) -> list[Image]:
    """Normal maps with relief in them: a flat one is lit the same either way."""
    found = ((im, content_of(im)) for im in used_as(facts, NORMAL_SLOTS))
    return [im for im, content in found if content is not None and content.content != "flat"]


def _told(image: Image) -> str:
    found = told_green(image) if not image.green else None
    if found is None or found.direction == "undecidable":
        return "" if image.green else " by its origin"
    return f" ({abs(found.agreement) * 100:.0f} % agreement)"


register(Requirement("green-direction", "Green of normal maps", "surface", _judge, step="green"))
