"""Numbers beside textures that the format cannot say: colours, opacity, strength of relief and of
occlusion.
"""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import words
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.route.steps.surface.roles.bake_factors import factors
from customs.scene.model import Material, Scene
from customs.surface.pixels import pixels_or_none


def _bad(scene: Scene, material: Material) -> dict[str, tuple[float, ...]]:
    return {
        r: f
        for r, f in factors(material).items()
        if pixels_or_none(scene.images[material.textures[r].image]) is not None
    }


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.format.factors or "materials" not in case.format.carries:
        return
    bad = []
    for _, m in case.after.used_materials:
        found = _bad(case.delivering, m)
        if found:
            text = ", ".join(f"{words(r)} × {' '.join(f'{v:.2g}' for v in f)}" for r, f in found.items())
            bad.append((m, said(tuple((r, *(round(v, 4) for v in f)) for r, f in found.items()), text)))

    def fix(material: Material) -> Remedy | None:
        return remedy("bake-factors", "Work them into the textures", targets=(str(material.key),))

    note = f"{case.format.title} shows the texture alone: what it is multiplied by would be lost."
    yield from elements(
        rule, bad, "material", "textures alone", "as made", "textures alone", "query", note, fix
    )


register(Requirement("factors-told", "Numbers beside textures", "surface", _judge, step="bake-factors"))
