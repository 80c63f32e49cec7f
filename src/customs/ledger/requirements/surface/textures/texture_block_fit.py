"""Block compression that suits what a texture holds."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.materials import delivered_block, roles_of
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.scene.model import NORMAL_SLOTS, Image
from customs.sheet.blocks import compressed
from customs.surface.files.base import texture_format
from customs.surface.kept import kept_of_pixels
from customs.surface.pixels import image_info, pixels_or_none

GENTLE, SMOOTH, WIDE = 6, 0.6, 48
"""A block of 4 × 4 pixels is gentle when it spans fewer levels than GENTLE and more than none; a texture with
a share of SMOOTH gentle blocks that spans WIDE levels is a smooth gradient, which two end colours a block
show in bands.
"""


def smooth(image: Image) -> bool:
    """True for a smooth gradient."""

    def judged() -> bool:
        pixels = pixels_or_none(image)
        if pixels is None or min(pixels.shape[:2]) < 16:
            return False
        eight = pixels[:, :, :3] if pixels.dtype == np.uint8 else (pixels[:, :, :3] >> 8).astype(np.uint8)
        height, width = (n // 4 * 4 for n in eight.shape[:2])
        cells = eight[:height, :width].reshape(height // 4, 4, width // 4, 4, -1).max(axis=-1)
        span = np.ptp(cells.max(axis=1), axis=-1) | np.ptp(cells, axis=(1, 3))
        gentle = (span > 0) & (span < GENTLE)
        return bool(gentle.mean() > SMOOTH and np.ptp(eight) > WIDE)

    return kept_of_pixels("smooth", image, judged)


def better(image: Image, block: str, roles: set[str]) -> tuple[str, str]:
    """(what suits an image better than `block`, why), or two empty texts."""
    if roles & NORMAL_SLOTS and block in ("bc1", "bc3"):
        return "bc5", "two end colours a block bend normals: shading breaks into squares"
    if block in ("bc1", "bc3") and smooth(image):
        return "bc7", "a smooth gradient in it shows bands"
    if block == "bc5" and not roles & NORMAL_SLOTS:
        return "bc7", "only red and green would be left"
    if block == "bc4" and roles - {
        "roughness",
        "metallic",
        "glossiness",
        "occlusion",
        "height",
        "opacity",
        "specular",
    }:
        return "bc7", "only red would be left"
    return "", ""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wishes = case.delivering.wishes
    asked, seen, any_bad = compressed(case.sheet.textures.blocks), False, False
    for i, roles in roles_of(case.after).items():
        image = case.delivering.images[i]
        has = delivered_block(image, wishes) if image.there and image_info(image) is not None else ""
        if not has:
            continue
        seen = True
        block, why = better(image, has, roles)
        # What the sheet asks for outright is its own business.
        if not block or asked:
            continue
        any_bad = True
        wished = wishes.first(image.key)
        form = wished.form if wished else "dds"
        able = block in texture_format(form).blocks
        fix = (
            remedy(
                "convert-textures",
                f"Write {block.upper()}",
                sure=False,
                form=form,
                block=block,
                mips=True,
                targets=(str(image.key),),
            )
            if able
            else None
        )
        yield rule.row(
            has.upper(),
            said(block, block.upper()),
            said(has.upper(), has.upper()),
            "query",
            subject=str(image.key),
            subject_name=image.name,
            note=f"{why[:1].upper()}{why[1:]}.",
            remedy=fix,
            place=Place(image.key, "image"),
        )
    if seen and not any_bad:
        yield rule.row("suits", "suits what it holds", "suits", "cleared")


register(
    Requirement("texture-block-fit", "Compression that suits", "surface", _judge, step="convert-textures")
)
