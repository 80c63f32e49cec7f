"""A texture with holes on a material marked opaque shows as a box."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import alpha_shares
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy
from customs.ledger.texture import alpha_image
from customs.scene.model import Material

FEW = 0.01
"""Share of pixels that must be clear before an opaque material is asked about."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    any_bad = False
    for _, m in case.after.used_materials:
        shares = _shares(case, m)
        if m.alpha_mode != "opaque" or shares is None or shares[0] + shares[1] < FEW:
            continue
        any_bad = True
        # Edges between clear and solid are a leaf's; wide half-clear areas are glass.
        mode = "blend" if shares[1] > 0.35 else "mask"
        fix = remedy(
            "alpha", f"Make it {mode}", mode=mode, targets=(str(m.key),), double_sided=True if mode == "mask" else None
        )
        yield rule.row(
            "opaque",
            mode,
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


def _shares(case: Case, material: Material) -> tuple[float, float, float] | None:
    image = alpha_image(case.delivering, material)
    return alpha_shares(image) if image is not None else None


register(Requirement("alpha-lost", "Alpha left out", "surface", _judge, step="alpha"))
