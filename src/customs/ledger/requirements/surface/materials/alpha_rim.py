"""Colours under clear pixels that would show as a rim."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import SceneFacts
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.ledger.texture import alpha_image
from customs.scene.model import Image
from customs.surface.kept import kept_of_pixels
from customs.surface.pixels import pixels_or_none
from customs.surface.transparency import bled, rim

MOST = 0.12
"""How far hidden colours beside a visible edge may differ from it (0..1)."""
GAIN = 0.02
"""What drawing colours out must better: below it the texture itself is that uneven, and no rim shows that the
inside does not.
"""


def rim_of(image: Image) -> float:
    """See `rim`; 0 without alpha, and where the colours stand drawn out already."""

    def measured() -> float:
        pixels = pixels_or_none(image)
        if pixels is None or pixels.shape[2] not in (2, 4):
            return 0.0
        off = rim(pixels)
        return off if off <= MOST or off - rim(bled(pixels)) > GAIN else 0.0

    return kept_of_pixels("rim", image, measured)


def _cut(facts: SceneFacts) -> list[Image]:
    found = (alpha_image(facts.scene, m) for _, m in facts.used_materials if m.alpha_mode != "opaque")
    return list(dict.fromkeys(im for im in found if im is not None))


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = [
        (im, said(round(off, 4), f"{off * 100:.0f} % off"))
        for im in _cut(case.after)
        if (off := rim_of(im)) > MOST
    ]
    before = max((rim_of(im) for im in _cut(case.before)), default=0.0)

    def fix(image: Image) -> Remedy | None:
        return remedy("bleed", "Draw colours out", targets=(str(image.key),))

    note = "Filtering mixes hidden colours in: a dark or white line runs around leaves."
    yield from elements(
        rule,
        bad,
        "image",
        "same as beside",
        f"{before * 100:.0f} % off",
        "same as beside",
        "query",
        note,
        fix,
    )


register(Requirement("alpha-rim", "Rims around cut-outs", "surface", _judge, step="bleed"))
