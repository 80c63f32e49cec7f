"""Looks beyond the core of glTF 2.0 that the destination does not read."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.scene.layers import LAYERS, layers_in_use


def taken_there(case: Case) -> tuple[str, ...]:
    """Material extensions the destination reads."""
    allowed = case.sheet.model.extensions
    if "layers" not in case.format.carries:
        return ()
    return tuple(x.extension for x in LAYERS if allowed is None or x.extension in allowed)


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    taken = taken_there(case)
    bad = []
    for _, m in case.after.used_materials:
        strange = [x for x in layers_in_use(m.layers, m.textures) if x.extension not in taken]
        if strange:
            bad.append((m, said(tuple(x.extension for x in strange), ", ".join(x.title for x in strange))))
    had = {x.title for _, m in case.before.used_materials for x in layers_in_use(m.layers, m.textures)}
    wanted = said(taken, "the core alone" if not taken else f"{len(taken)} extensions")
    note = "Not read there: the look would go without a word. The nearest the core has is a colour, a roughness, an alpha."
    yield from elements(
        rule, bad, "material", wanted, ", ".join(sorted(had)) or "the core alone", wanted, "query", note,
        lambda m: remedy("nearest-look", "Turn into the nearest look", kept=taken, targets=(str(m.key),)),
    )  # fmt: skip


register(Requirement("material-layers", "Look beyond the core", "surface", _judge, step="nearest-look"))
