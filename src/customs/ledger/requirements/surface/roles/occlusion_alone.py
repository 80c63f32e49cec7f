"""Occlusion that shares a texture with other values, for formats that cannot say which channel is meant."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import allowed_roles
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import elements
from customs.scene.model import Material
from customs.surface.channels import grey


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.format.channels or "occlusion" not in allowed_roles(case) or case.sheet.textures.pack:
        return
    images = case.delivering.images
    bad = [
        (m, "with other values")
        for _, m in case.after.used_materials
        if (use := m.textures.get("occlusion")) is not None
        and images[use.image].there
        and not grey(images[use.image])
    ]

    def fix(material: Material) -> Remedy | None:
        return remedy(
            "split", "Take occlusion out alone", values=("occlusion",), targets=(str(material.key),)
        )

    note = f"{case.format.title} takes the whole texture for occlusion: roughness and metal would darken it."
    yield from elements(rule, bad, "material", "alone", "as made", "alone", "query", note, fix)


register(Requirement("occlusion-alone", "Occlusion alone", "surface", _judge, step="split"))
