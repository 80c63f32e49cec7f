"""Where a mesh's number picks its texture, each mesh has textures of its own."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.own_textures import shared_textures
from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.scene.tree import mesh_nodes
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.rig.order_textures:
        return
    scene = case.delivering
    shared = shared_textures(scene, mesh_nodes(scene))
    before = shared_textures(case.arrived, mesh_nodes(case.arrived))
    if not shared:
        yield rule.row(f"{len(before)} shared", "each its own", "each its own", "cleared")
        return
    image, first, other = shared[0]
    names = scene.nodes[first].name, scene.nodes[other].name
    yield rule.row(
        f"{len(before)} shared",
        "each its own",
        f"{len(shared)} shared",
        "held",
        note=f"The number of a mesh picks its texture: {names[0]} and {names[1]} share {scene.images[image].name}. "
        f"The remedy copies {many(len(shared), 'texture')}.",
        remedy=remedy("numbers", "A texture for each mesh", order=True, own_textures=True),
    )


register(Requirement("order-textures", "Textures by order number", "motion", _judge, step="numbers"))
