"""Texel density of each material within the sheet's bounds."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.density import density
from customs.ledger.row import Case, Requirement, Row, register, said
from customs.ledger.shapes import elements


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bounds = case.sheet.textures.density
    if bounds is None:
        return
    low, high = bounds
    found = density(case.delivering)
    bad = [
        (case.delivering.materials[i], said(round(float(d)), f"{d:,.0f} px/m"))
        for i, d in found.items()
        if not low <= d <= high
    ]
    before = density(case.arrived).values()
    had = f"{min(before):,.0f} to {max(before):,.0f} px/m" if before else "none"
    now = f"{min(found.values()):,.0f} to {max(found.values()):,.0f} px/m" if found else "none"
    wanted = said((low, high), f"{low:,.0f} to {high:,.0f} px/m")
    note = "Coarse or fine beside its neighbours: give it a texture of another size, or lay its UVs out anew."
    yield from elements(rule, bad, "material", wanted, had, now, "query", note, lambda m: None)


register(Requirement("uv-density", "Texel density", "surface", _judge))
