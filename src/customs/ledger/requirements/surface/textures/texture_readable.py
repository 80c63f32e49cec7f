"""Every texture can be read."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said
from customs.ledger.shapes import elements
from customs.scene.model import Image
from customs.surface.files.base import texture_formats
from customs.surface.pixels import pixels_or_none


def _broken(image: Image) -> bool:
    there = image.content is not None or image.pixels is not None
    return there and (bool(image.problem) or pixels_or_none(image) is None)


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = [
        (im, said(im.problem, im.problem or "image data is broken"))
        for _, im in case.after.used_images
        if _broken(im)
    ]
    before = sum(_broken(im) for _, im in case.before.used_images)
    known = ", ".join(f.title for f in texture_formats().values())
    note = f"The file is no whole one of {known}. Fetch it again."
    yield from elements(
        rule, bad, "image", "readable", f"{before} broken", "0 broken", "held", note, lambda im: None
    )


register(Requirement("texture-readable", "Unreadable textures", "surface", _judge))
