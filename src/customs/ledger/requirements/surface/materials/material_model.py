"""Materials are of a kind the destination has."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.scene.model import Material


def _fix(material: Material) -> Remedy | None:
    if material.model == "specular_glossiness":
        return remedy("spec-gloss", "Turn into metal and rough", targets=(str(material.key),))
    return (
        remedy("light", "Let it take light", targets=(str(material.key),))
        if material.model == "unlit"
        else None
    )


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    allowed = case.sheet.materials.models
    bad = [
        (m, said(m.model, m.model.replace("_", "-")))
        for _, m in case.after.used_materials
        if m.model not in allowed
    ]
    words = said(tuple(allowed), ", ".join(a.replace("_", "-") for a in allowed))
    had = ", ".join(sorted({m.model.replace("_", "-") for _, m in case.before.used_materials})) or "none"
    note = "Kept as it is, and drawn differently or plain there."
    yield from elements(rule, bad, "material", words, had, words, "query", note, _fix)


register(Requirement("material-model", "Kind of material", "surface", _judge, step="spec-gloss"))
