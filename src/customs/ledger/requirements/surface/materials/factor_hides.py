"""Factors that hide the texture they multiply."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import uses, words
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.scene.model import Material

DARK = 0.02
"""A factor under this leaves nothing of a texture to be seen (linear)."""


def hidden(material: Material, role: str) -> bool:
    """True when the factor of a role makes its texture invisible."""
    factors = {"base_colour": max(material.base_colour[:3]), "diffuse": max(material.diffuse[:3]), "emissive": max(material.emissive),
               "metallic": material.metallic, "roughness": material.roughness}  # fmt: skip
    return factors.get(role, 1.0) < DARK


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    any_bad = False
    for m, role, _, image in uses(case.after):
        if not hidden(m, role):
            continue
        any_bad = True
        again = ((str(m.key), role, str(image.key)),)
        yield rule.row(
            f"{words(role)} × 0",
            "textures show",
            said(role, f"{words(role)} × 0"),
            "query",
            subject=f"{m.key} {role}",
            subject_name=f"{m.name} · {image.name}",
            note="The factor beside it is zero: the texture is never seen.",
            remedy=remedy("roles", "Let it show", sure=False, uses=again),
            place=Place(m.key, "material"),
        )
    if not any_bad:
        yield rule.row("all show", "textures show", "all show", "cleared")


register(Requirement("factor-hides", "Textures a factor hides", "surface", _judge, step="roles"))
