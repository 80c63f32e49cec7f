"""Meshes stand no deeper in the tree than the sheet allows."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Place, Requirement, Row, register, remedy
from customs.scene.tree import mesh_nodes


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    sheet = case.sheet.model
    limit = 1 if sheet.mesh_under_root else sheet.max_depth
    if limit is None:
        return
    deep = [n for n in mesh_nodes(case.delivering) if case.after.depth[n] >= limit]
    levels = max((case.before.depth[n] + 1 for n in mesh_nodes(case.arrived)), default=0)
    fix = remedy("flatten", "Lift under the root", depth=limit)
    for n in deep:
        node, has = case.delivering.nodes[n], f"level {case.after.depth[n] + 1}"
        yield rule.row(
            has,
            f"≤ level {limit}",
            has,
            "held",
            subject=str(node.key),
            subject_name=node.name,
            note="The destination looks for meshes directly under the root.",
            remedy=fix,
            place=Place(node.key, "node"),
        )
    if not deep:
        yield rule.row(f"level {levels}", f"≤ level {limit}", f"level {min(levels, limit)}", "cleared")


register(Requirement("under-root", "Depth of meshes", "fit", _judge, step="flatten"))
