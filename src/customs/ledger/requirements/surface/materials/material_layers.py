"""Looks beyond the core of glTF 2.0 that the destination does not read."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import allowed_roles
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.scene.layers import LAYERS, TOON, layers_in_use
from customs.scene.model import Material


def taken_there(case: Case, material: Material) -> tuple[str, ...]:
    """Material extensions the destination reads, with all their textures that the material has."""
    allowed, roles = case.sheet.model.extensions, set(material.textures)
    if "layers" not in case.format.carries:
        return ()
    avatar = any(n.bone for n in case.delivering.nodes)
    homeless = roles - set(allowed_roles(case))
    return tuple(
        x.extension
        for x in LAYERS
        if (avatar or x is not TOON)
        and (allowed is None or x.extension in allowed)
        and not homeless & {m.role for m in x.maps}
    )


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = []
    for _, m in case.after.used_materials:
        taken = taken_there(case, m)
        strange = [x for x in layers_in_use(m.layers, m.textures) if x.extension not in taken]
        if strange:
            bad.append((m, said(tuple(x.extension for x in strange), ", ".join(x.title for x in strange))))
    had = {x.title for _, m in case.before.used_materials for x in layers_in_use(m.layers, m.textures)}
    wanted = said("read", "looks it reads")
    note = "Not read there: the look would go without a word. The nearest the core has is a colour, a roughness, an alpha."

    def fix(m: Material) -> Remedy | None:
        kept = taken_there(case, m)
        return remedy("nearest-look", "Turn into the nearest look", kept=kept, targets=(str(m.key),))

    words = ", ".join(sorted(had)) or "the core alone"
    yield from elements(rule, bad, "material", wanted, words, wanted, "query", note, fix)


register(Requirement("material-layers", "Look beyond the core", "surface", _judge, step="nearest-look"))
