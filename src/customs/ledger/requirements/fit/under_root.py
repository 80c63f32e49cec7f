"""Meshes stand no deeper in the tree than the sheet allows."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.motion.bones import above_joints
from customs.scene.model import Scene
from customs.scene.tree import animated_nodes, mesh_nodes, parents


def _under(scene: Scene, node: int, held: set[int]) -> bool:
    above = parents(scene)
    while node >= 0:
        if node in held and scene.nodes[node].skin is None:
            return True
        node = above[node]
    return False


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    sheet = case.sheet.model
    limit = 1 if sheet.mesh_under_root else sheet.max_depth
    if limit is None:
        return
    deep = [n for n in mesh_nodes(case.delivering) if case.after.depth[n] >= limit]
    levels = max((case.before.depth[n] + 1 for n in mesh_nodes(case.arrived)), default=0)
    flat = remedy("flatten", "Lift under the root", depth=limit)
    # What moves with a joint or by a clip cannot be lifted out; as part of the skin it can.
    held = animated_nodes(case.delivering) | above_joints(case.delivering)
    rigged = case.sheet.rig.skins != "forbidden" and "skins" in case.format.carries
    moves = rigged and any(_under(case.delivering, n, held) for n in deep)
    fix = remedy("rigid", "Make parts of the skin") if moves else flat
    for n in deep:
        node, has = case.delivering.nodes[n], said(case.after.depth[n] + 1, f"level {case.after.depth[n] + 1}")
        yield rule.row(
            has,
            said(limit, f"≤ level {limit}"),
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
