"""A texture with holes on a material marked opaque shows as a box."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import alpha_shares
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.ledger.texture import alpha_image
from customs.scene.model import Material
from customs.surface.pixels import pixels_or_none
from customs.surface.presets import preset_of_name, presets
from customs.surface.transparency import wanted_cutoff, wanted_mode

FEW = 0.01
"""Share of pixels that must be clear before an opaque material is asked about."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    any_bad = False
    for _, m in case.after.used_materials:
        shares = _shares(case, m)
        if m.alpha_mode != "opaque" or shares is None or shares[0] + shares[1] < FEW:
            continue
        any_bad = True
        mode, cutoff = _wanted(case, m)
        if mode == "opaque":
            continue
        sides = True if mode == "mask" and case.sheet.materials.double_sided != "forbidden" else None
        fix = remedy(
            "alpha", f"Make it {mode}", mode=mode, cutoff=cutoff, targets=(str(m.key),), double_sided=sides
        )
        yield rule.row(
            "opaque",
            said((mode, cutoff), mode),
            "opaque",
            "query",
            subject=str(m.key),
            subject_name=m.name,
            remedy=fix,
            note=f"{shares[0] * 100:.0f} % of its texture is clear: leaves, paper and puddles left opaque show as boxes.",
            place=Place(m.key, "material"),
        )
    if not any_bad:
        yield rule.row("as textured", "as textured", "as textured", "cleared")


def _wanted(case: Case, material: Material) -> tuple[str, float]:
    """(mode, cutoff): what the name speaks of where it speaks of one that is clear, else what its alpha looks
    like.
    """
    image = alpha_image(case.delivering, material)
    pixels = pixels_or_none(image) if image is not None else None
    if pixels is None:
        return "opaque", 0.5
    said = preset_of_name(material.name)
    by_name = presets()[said].alpha_mode if said is not None else "opaque"
    mode = by_name if by_name != "opaque" else wanted_mode(pixels[:, :, -1])
    return mode, round(wanted_cutoff(pixels[:, :, -1]), 2) if mode == "mask" else 0.5


def _shares(case: Case, material: Material) -> tuple[float, float, float] | None:
    image = alpha_image(case.delivering, material)
    return alpha_shares(image) if image is not None else None


register(Requirement("alpha-lost", "Alpha left out", "surface", _judge, step="alpha"))
