"""Cutoffs at which a cut-out shows as it is drawn."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import alpha_shares
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.ledger.texture import alpha_image
from customs.scene.model import Image, Material
from customs.surface.kept import kept_of_pixels
from customs.surface.mipmap import coverage
from customs.surface.pixels import pixels_or_none
from customs.surface.transparency import wanted_cutoff

FAR = 0.1
"""How far the share that shows may be from that at the best cutoff (0..1)."""


def best_cutoff(image: Image) -> float:
    """The cutoff that parts clear from solid best."""

    def found() -> float:
        pixels = pixels_or_none(image)
        return wanted_cutoff(pixels[:, :, -1]) if pixels is not None and pixels.shape[2] in (2, 4) else 0.5

    return kept_of_pixels("cutoff", image, found)


def _off(case: Case, material: Material) -> str:
    image = alpha_image(case.delivering, material)
    pixels = pixels_or_none(image) if image is not None else None
    if material.alpha_mode != "mask" or image is None or pixels is None or alpha_shares(image) is None:
        return ""
    shows, best = coverage(pixels, material.alpha_cutoff), coverage(pixels, best_cutoff(image))
    return f"{shows * 100:.0f} % shows at {material.alpha_cutoff:g}" if abs(shows - best) > FAR else ""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    masks = [m for _, m in case.after.used_materials if m.alpha_mode == "mask"]
    if not masks:
        return
    bad = [(m, said((m.alpha_cutoff, text), text)) for m in masks if (text := _off(case, m))]

    def fix(material: Material) -> Remedy | None:
        image = alpha_image(case.delivering, material)
        if image is None:
            return None
        cutoff = round(best_cutoff(image), 2)
        return remedy("alpha", f"Cut at {cutoff:g}", mode="mask", cutoff=cutoff, targets=(str(material.key),))

    note = "Leaves vanish, or stand in boxes."
    yield from elements(rule, bad, "material", "shows as drawn", "as drawn", "as drawn", "query", note, fix)


register(Requirement("alpha-cutoff", "Cutoff of cut-outs", "surface", _judge, step="alpha"))
