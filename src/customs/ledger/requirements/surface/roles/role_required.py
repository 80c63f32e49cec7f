"""Every material has a texture in each role the sheet asks for."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import words
from customs.ledger.row import Case, Place, Remedy, Requirement, Row, register, remedy, said
from customs.scene.model import Material


def _fix(case: Case, material: Material, role: str) -> Remedy | None:
    if role == "parameters":
        pattern = case.sheet.textures.pack
        return remedy("pack", "Pack by pattern", pattern=pattern, always=True, targets=(str(material.key),))
    return remedy(
        "fill-roles", f"Make {words(role)} of its numbers", roles=(role,), targets=(str(material.key),)
    )


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wanted = case.sheet.textures.required
    if not wanted:
        return
    asked, any_bad = ", ".join(words(r) for r in wanted), False
    for _, m in case.after.used_materials:
        for role in wanted:
            if role in m.textures or m.model == "specular_glossiness":
                continue
            any_bad = True
            yield rule.row(
                f"no {words(role)}",
                said(wanted, asked),
                said(role, f"no {words(role)}"),
                "held",
                subject=f"{m.key} {role}",
                subject_name=m.name,
                note="The destination looks for it by name and stops without it.",
                remedy=_fix(case, m, role),
                place=Place(m.key, "material"),
            )
    if not any_bad:
        before = sum(r not in m.textures for _, m in case.before.used_materials for r in wanted)
        yield rule.row(f"{before} missing" if before else "all there", asked, "all there", "cleared")


register(Requirement("role-required", "Textures asked for", "surface", _judge, step="fill-roles"))
