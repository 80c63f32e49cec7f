"""Normal maps whose vectors are about one long."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.materials import used_as
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.scene.model import NORMAL_SLOTS, Image
from customs.surface.classify import sample
from customs.surface.guess import content_of
from customs.surface.kept import kept_of_pixels
from customs.surface.pixels import pixels_or_none

MOST = 0.06
"""Largest mean distance of vectors from one long; eight bits alone give about 0.005 (no unit)."""

LEANING = 0.4
"""What does not lean outward this much on the mean is no normal map (cosine)."""


def off_length(image: Image) -> float:
    """Mean distance of a map's vectors from one long; 0 for two channels and for what is no normal map."""

    def measured() -> float:
        pixels, content = pixels_or_none(image), content_of(image)
        if (
            pixels is None
            or pixels.shape[2] < 3
            or content is None
            or content.content == "two-channel normal"
        ):
            return 0.0
        v = sample(pixels)[:, :, :3] * 2 - 1
        if float(v[:, :, 2].mean()) < LEANING:
            return 0.0
        return float(np.abs(np.sqrt(np.einsum("ijk,ijk->ij", v, v)) - 1).mean())

    return kept_of_pixels("off-length", image, measured)


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    maps = used_as(case.after, NORMAL_SLOTS)
    if not maps:
        return
    bad = [(im, said(round(off, 4), f"{off:.2f} off")) for im in maps if (off := off_length(im)) > MOST]
    before = max((off_length(im) for im in used_as(case.before, NORMAL_SLOTS)), default=0.0)

    def fix(image: Image) -> Remedy | None:
        return remedy("renormalise", "Bring to one long", targets=(str(image.key),))

    note = "Shrunk or blended without care: it shades flatter or too dark."
    yield from elements(rule, bad, "image", "one long", f"{before:.2f} off", "one long", "query", note, fix)


register(Requirement("normal-unit", "Length of normals in maps", "surface", _judge, step="renormalise"))
