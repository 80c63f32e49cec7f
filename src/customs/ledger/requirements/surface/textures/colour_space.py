"""Textures marked as colours where they hold data, or the other way."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import roles_of, wants_colour, words
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.row import said as told
from customs.ledger.shapes import elements
from customs.scene.model import COLOUR_SLOTS, Image
from customs.surface.pixels import image_info, stated_space

SHOWN = {"srgb": "sRGB", "linear": "linear"}


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = []
    for i, roles in roles_of(case.after).items():
        image = case.delivering.images[i]
        if not image.there or image_info(image) is None:
            continue
        said, wanted = stated_space(image), "srgb" if wants_colour(roles) else "linear"
        if said and said != wanted:
            shown = f"{SHOWN[said]} as {', '.join(sorted(words(r) for r in roles))}"
            bad.append((image, told((said, *sorted(roles)), shown)))

    def fix(image: Image) -> Remedy | None:
        i = case.delivering.images.index(image)
        roles = roles_of(case.after)[i]
        both = wants_colour(roles) and bool(roles - set(COLOUR_SLOTS))
        return remedy("colour-space", "Mark it by its role", sure=not both, targets=(str(image.key),))

    note = "Colours marked as data come out pale, data marked as colours bent: metal turns plastic, relief goes deep."
    yield from elements(
        rule, bad, "image", "sRGB colours, linear data", "as used", "as used", "query", note, fix
    )


register(Requirement("colour-space", "Colour space", "surface", _judge, step="colour-space"))
