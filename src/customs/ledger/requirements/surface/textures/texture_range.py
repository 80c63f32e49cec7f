"""Textures of light without bounds: what lies outside of what a texture file can say is clipped."""

from __future__ import annotations

from collections.abc import Iterator

from customs.errors import CustomsError
from customs.ledger.row import Case, Place, Requirement, Row, register, said
from customs.ledger.texture import readable
from customs.scene.kept import kept
from customs.scene.model import Image
from customs.surface.files.base import texture_format
from customs.surface.pixels import image_info

LEAST = 0.0005
"""Share of pixels below which a spark or two are not asked about."""


def _outside(image: Image) -> float:
    """Share of the pixels of an image's own file that are clipped."""
    info, content = image_info(image), image.content
    measure = texture_format(info.form).outside if info is not None else None
    if content is None or measure is None:
        return 0.0

    def found() -> float:
        try:
            return measure(content.read())
        except (CustomsError, OSError):
            return 0.0

    return kept("outside", content, found)


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = [(im, share) for im in readable(case.before) if (share := _outside(im)) > LEAST]
    for image, share in bad:
        text = f"{100 * share:.1f} % of its pixels clipped"
        yield rule.row(
            text,
            "0 to 1",
            said(round(share, 4), text),
            "query",
            subject=str(image.key),
            subject_name=image.name,
            note="Brighter than white or darker than black: a texture file of the destination cannot say it.",
            place=Place(image.key, "image"),
        )
    if not bad:
        yield rule.row("0 to 1", "0 to 1", "0 to 1", "cleared")


register(Requirement("texture-range", "Values clipped", "surface", _judge))
