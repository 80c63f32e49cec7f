"""Mesh order numbers are unique and run from 1."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.row import said as told
from customs.scene.numbers import ORDER
from customs.scene.tree import mesh_nodes
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.rig.order_numbers:
        return
    shown = [case.delivering.nodes[n] for n in mesh_nodes(case.delivering)]
    said = sorted(str(n.extras.get(ORDER, "–")) for n in shown)
    bad = said != sorted(str(k) for k in range(1, len(shown) + 1))
    picks = case.sheet.rig.order_textures
    yield rule.row(
        many(len(shown), "mesh"),
        told(len(shown), f"1 to {len(shown)}"),
        told(tuple(said), ", ".join(said[:6])) if bad else told(len(shown), f"1 to {len(shown)}"),
        "held" if bad else "cleared",
        note=_why(picks) if bad else "",
        remedy=remedy("numbers", "Number them", order=True, **({"own_textures": True} if picks else {}))
        if bad
        else None,
    )


def _why(picks: bool) -> str:
    note = "Meshes are drawn in the order of their numbers; a gap or a double stops the import."
    more = " The number picks the texture too: textures take their mesh's new number, and each mesh keeps its own."
    return note + (more if picks else "")


register(Requirement("order-numbers", "Order numbers", "motion", _judge, step="numbers"))
