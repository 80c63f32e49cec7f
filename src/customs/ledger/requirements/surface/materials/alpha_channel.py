"""Alpha channels nothing uses, where unused channels are refused."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import alpha_shares
from customs.ledger.materials import alpha_used, roles_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import elements
from customs.scene.model import Image
from customs.surface.pixels import image_info

COLOURS = {"base_colour", "diffuse"}


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.textures.unused_channels != "forbidden":
        return
    bad = []
    for i, roles in roles_of(case.after).items():
        image = case.delivering.images[i]
        info = image_info(image) if image.there else None
        shares = (
            alpha_shares(image)
            if info is not None and info.has_alpha and not alpha_used(case.after, i)
            else None
        )
        # Alpha with holes in it is asked about first: perhaps it should be used.
        if shares is not None and (shares[2] > 0.9999 or not roles & COLOURS):
            bad.append((image, "alpha unused"))

    def fix(image: Image) -> Remedy | None:
        return remedy("drop-alpha", "Leave alpha out", targets=(str(image.key),))

    note = "Refused there: a channel that means nothing is taken for a mistake."
    yield from elements(
        rule, bad, "image", "no unused channel", "none unused", "none unused", "held", note, fix
    )


register(Requirement("alpha-channel", "Unused channels", "surface", _judge, step="drop-alpha"))
