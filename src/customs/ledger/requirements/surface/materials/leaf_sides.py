"""Leaves and paper that vanish from behind."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import elements
from customs.scene.model import Material
from customs.surface.presets import preset_of_name, presets


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.materials.double_sided == "forbidden":
        return
    cut = [m for _, m in case.after.used_materials if m.alpha_mode == "mask"]
    if not cut:
        return
    bad = [(m, "one side") for m in cut if not m.double_sided and _thin(m.name)]

    def fix(material: Material) -> Remedy | None:
        values: dict[str, Any] = {"mode": "mask", "cutoff": material.alpha_cutoff, "double_sided": True}
        return remedy("alpha", "Show both sides", targets=(str(material.key),), **values)

    note = "Foliage is drawn from both sides (common practice): from behind it would not be there."
    yield from elements(rule, bad, "material", "both sides", "as made", "both sides", "query", note, fix)


def _thin(name: str) -> bool:
    preset = preset_of_name(name)
    return preset is not None and presets()[preset].double_sided


register(Requirement("leaf-sides", "Leaves from behind", "surface", _judge, step="alpha"))
