"""Normal maps have their green the way the destination reads it."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import SceneFacts
from customs.ledger.materials import used_as
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy
from customs.scene.model import NORMAL_SLOTS, Image
from customs.surface.green import GreenWay, green_of, told_green
from customs.surface.guess import content_of


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wanted, origin = case.sheet.axes.green, case.delivering.convention.green
    maps = _maps(case.after)
    if not maps:
        return
    any_bad = False
    for image in maps:
        row = _row(rule, image, wanted, origin)
        if row is not None:
            any_bad = True
            yield row
    if not any_bad:
        before = {green_of(im, origin) for im in _maps(case.before)}
        had = " and ".join(f"green {way}" for way in sorted(before)) or "none"
        yield rule.row(had, f"green {wanted}", f"green {wanted}", "cleared")


def _row(rule: Requirement, image: Image, wanted: GreenWay, origin: GreenWay) -> Row | None:
    """The row of one map, None where it is as wanted and nothing contradicts it.

    What the file, its format or its origin says counts before what the slopes look like; where the two differ
    a person decides.
    """
    way = green_of(image, origin)
    doubt = not image.green and way != origin
    if way == wanted and not doubt:
        return None
    text = f"green {way}{_told(image)}" + (f", said to be {origin}" if doubt else "")
    fix = (
        remedy("green", "Turn green over", sure=not doubt, targets=(str(image.key),))
        if way != wanted
        else None
    )
    note = (
        "Lit from the wrong side: bumps look like dents."
        if not doubt
        else (
            "The file or its origin says one way, the slopes of the map fit the other: look at the picture and decide."
        )
    )
    values = {"way": way, "said": image.green or origin, "wanted": wanted}
    return rule.row(
        text,
        f"green {wanted}",
        text,
        "query" if doubt else "held",
        subject=str(image.key),
        subject_name=image.name,
        note=note,
        remedy=fix,
        place=Place(image.key, "image"),
        values=values,
    )


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
