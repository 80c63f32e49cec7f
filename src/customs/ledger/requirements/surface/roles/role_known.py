"""Textures in roles the destination has no place for."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import USUAL_PACKING, allowed_roles, uses, words
from customs.ledger.row import Case, Place, Remedy, Requirement, Row, register, remedy, said
from customs.route.steps.surface.roles.pack import SLOTS_OF
from customs.scene.layers import LAYER_SLOTS
from customs.scene.model import Material
from customs.surface.pattern import parse_pattern, slot_of
from customs.surface.pixels import pixels_or_none

LOOSE = ("roughness", "metallic", "glossiness")
OTHER_MODEL = {"diffuse", "specular_glossiness"}


def _fix(case: Case, material: Material, role: str) -> Remedy | None:
    if pixels_or_none(case.delivering.images[material.textures[role].image]) is None:
        # Nothing can be made of a texture that is not there; without it the material is what it looks like
        # now.
        return _drop(role, (str(material.key),), False)
    known, me = allowed_roles(case), (str(material.key),)
    # Where the destination refuses the role it goes; where it merely has no place for it a person decides.
    refused = case.sheet.textures.unused_channels == "forbidden" or case.sheet.textures.roles is not None
    pattern = case.sheet.textures.pack or USUAL_PACKING
    packable = {s for p in parse_pattern(pattern) for s in SLOTS_OF.get(p.value, ())}
    if role == "opacity" and "base_colour" in known:
        return remedy("merge-alpha", "Put opacity into alpha", targets=me)
    if role == "height" and "normal" in known and "height" not in packable:
        return remedy("height-normal", "Make a normal map of it", targets=me)
    if role in packable and slot_of(parse_pattern(pattern)) in known:
        return remedy("pack", "Pack by pattern", pattern=pattern, targets=me)
    other = {"roughness": "glossiness", "glossiness": "roughness"}.get(role)
    if other in known:
        return remedy("split", f"Make it {other}", values=(other,), targets=me)
    if role in ("metallic_roughness", "parameters"):
        values = tuple(v for v in (*LOOSE[:2], "glossiness") if v in known)
        values = tuple(v for v in values if v != "glossiness" or "roughness" not in values)
        return (
            remedy("split", "Take it apart", values=values, targets=me)
            if values
            else _drop(role, me, refused)
        )
    if role in ("detail", "detail_normal"):
        return remedy("detail", "Work it in", normal=role == "detail_normal", bake=True, targets=me)
    return _drop(role, me, refused)


def _drop(role: str, targets: tuple[str, ...], sure: bool) -> Remedy | None:
    return remedy("drop-roles", f"Leave {words(role)} out", sure, roles=(role,), targets=targets)


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    known, any_bad = allowed_roles(case), False
    refused = case.sheet.textures.unused_channels == "forbidden" or case.sheet.textures.roles is not None
    for m, role, _, _ in uses(case.after):
        if role in known or (role in OTHER_MODEL and m.model == "specular_glossiness"):
            continue
        if role in LAYER_SLOTS:
            # What has no place for its texture has none for the look: Look beyond the core asks about it.
            continue
        any_bad = True
        note = "Refused there." if refused else "No place for it there: what it tells would be lost."
        yield rule.row(
            words(role),
            "a role it has",
            said(role, words(role)),
            "held" if refused else "query",
            subject=f"{m.key} {role}",
            subject_name=m.name,
            note=note,
            remedy=_fix(case, m, role),
            place=Place(m.key, "material"),
        )
    if not any_bad:
        before = sorted({words(role) for _, role, _, _ in uses(case.before) if role not in known})
        yield rule.row(", ".join(before) or "all have", "a role it has", "all have", "cleared")


register(Requirement("role-known", "Roles it has no place for", "surface", _judge, step="pack"))
