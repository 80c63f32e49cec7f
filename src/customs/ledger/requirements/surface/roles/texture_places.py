"""Textures that lie where the destination cannot follow: transforms, further UV sets, values to be packed
from two places.
"""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.laying import lays, same_place, way_for
from customs.ledger.materials import USUAL_PACKING, allowed_roles, words
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.scene.model import Material
from customs.surface.channels import source_of
from customs.surface.pattern import parse_pattern

EXTENSION = "KHR_texture_transform"
LOOSE = ("roughness", "metallic", "glossiness")
PAIRS = (
    ("base_colour", "opacity"),
    ("diffuse", "opacity"),
    ("normal", "height"),
    ("diffuse", "specular_glossiness"),
)
"""Roles of which the second is worked into the first where the destination has no place for it."""


def _trouble(case: Case, material: Material) -> tuple[str, tuple[str, ...]]:
    """(what the destination cannot follow, roles it concerns) or ("", ())."""
    allowed = case.sheet.model.extensions
    tells = case.format.places and (allowed is None or EXTENSION in allowed)
    found = lays(material)
    moved = tuple(r for r, lay in found.items() if not lay.plain and not tells)
    if moved:
        return "scaled, moved or turned", moved
    sets = 8 if case.format.places else 1
    sets = (
        sets
        if case.sheet.mesh.max_texcoord_sets is None
        else min(sets, max(1, case.sheet.mesh.max_texcoord_sets))
    )
    further = tuple(r for r, lay in found.items() if lay.texcoord >= sets)
    if further:
        return "on a further UV set", further
    together = _together(case, material)
    return ("to be put together, and not at one place", together) if together else ("", ())


def _together(case: Case, material: Material) -> tuple[str, ...]:
    """Roles whose pixels some step has to put side by side and that do not lie at one place."""
    known = allowed_roles(case)
    if case.sheet.textures.pack or any(r in material.textures and r not in known for r in LOOSE):
        parts = parse_pattern(case.sheet.textures.pack or USUAL_PACKING)
        uses = [
            f[0]
            for p in parts
            if p.value and (f := source_of(material, case.delivering.images, p.value)) is not None
        ]
        if not same_place(uses):
            return tuple(r for r, u in material.textures.items() if u in uses)
    for below, over in PAIRS:
        uses = [material.textures[r] for r in (below, over) if r in material.textures]
        if over not in known and not same_place(uses):
            return below, over
    return ()


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    any_bad = False
    for i, m in case.after.used_materials:
        what, roles = _trouble(case, m)
        if not what:
            continue
        any_bad = True
        way = way_for(case.delivering, i)
        names = ", ".join(words(r) for r in roles)
        has = said((what, *roles), f"{names} {what}")
        note = "What lies elsewhere there shows the wrong part of its texture."
        if way.main is None:
            note += f" It cannot be drawn anew: {way.why}. Unwrap it, or choose a destination that reads it."
        yield rule.row(
            has,
            "one place, as UVs say",
            has,
            "query",
            subject=str(m.key),
            subject_name=m.name,
            note=note,
            remedy=remedy("lay-uvs", "Lay UVs anew", targets=(str(m.key),)) if way.main is not None else None,
            place=Place(m.key, "material"),
        )
    if not any_bad:
        yield rule.row("as said", "one place, as UVs say", "as UVs say", "cleared")


register(Requirement("texture-places", "Places of textures", "surface", _judge, step="lay-uvs"))
