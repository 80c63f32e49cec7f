"""Values lie packed in the channels the sheet's pattern gives them."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.route.steps.surface.roles.pack import already
from customs.scene.model import Material
from customs.surface.channels import source_of
from customs.surface.pattern import parse_pattern


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    pattern = case.sheet.textures.pack
    if not pattern:
        return
    parts, images = parse_pattern(pattern), case.delivering.images
    bad = []
    for _, m in case.after.used_materials:
        told = any(source_of(m, images, p.value) is not None for p in parts if p.value)
        if told and not already(m, parts) and m.model != "specular_glossiness":
            bad.append((m, "otherwise"))

    def fix(material: Material) -> Remedy | None:
        return remedy("pack", "Pack by pattern", pattern=pattern, targets=(str(material.key),))

    note = "Read by the pattern, roughness would be taken for metal."
    yield from elements(
        rule, bad, "material", said(pattern, pattern), "otherwise", said(pattern, pattern), "held", note, fix
    )


register(Requirement("packed-order", "Packed channels", "surface", _judge, step="pack"))
