"""Meshes stand no deeper in the tree than the sheet allows."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from customs.changes.emptying import rigged_nodes
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.scene.folding import row_depths
from customs.scene.model import Scene
from customs.scene.tree import mesh_nodes
from customs.words import many

NOTE = "The destination looks for meshes directly under the root."
MOVES = " This one moves with what it hangs on, and no skins are taken there: make it static, or lift it where it was made."


def _mesh_rows(scene: Scene) -> npt.NDArray[np.intp]:
    """(M,) how deep the placements that show a mesh stand, 0 for a root."""
    return row_depths(scene)[scene.placements.shows]


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    sheet = case.sheet.model
    limit = 1 if sheet.mesh_under_root else sheet.max_depth
    if limit is None:
        return
    deep = [n for n in mesh_nodes(case.delivering) if case.after.depth[n] >= limit]
    levels = max((case.before.depth[n] + 1 for n in mesh_nodes(case.arrived)), default=0)
    levels = max(levels, int(_mesh_rows(case.arrived).max(initial=-1)) + 1)
    rows = _mesh_rows(case.delivering)
    low = int(np.count_nonzero(rows >= limit))
    flat = remedy("flatten", "Lift under the root", depth=limit)
    # What moves with a joint or by a clip cannot be lifted out; as part of the skin it can.
    moving = rigged_nodes(case.delivering)
    rigged = case.sheet.rig.skins != "forbidden" and "skins" in case.format.carries
    skin = remedy("rigid", "Make parts of the skin") if rigged else None
    for n in deep:
        node, has = (
            case.delivering.nodes[n],
            said(case.after.depth[n] + 1, f"level {case.after.depth[n] + 1}"),
        )
        fix = skin if n in moving and node.skin is None else flat
        yield rule.row(
            has,
            said(limit, f"≤ level {limit}"),
            has,
            "held",
            subject=str(node.key),
            subject_name=node.name,
            note=NOTE if fix is not None else NOTE + MOVES,
            remedy=fix,
            place=Place(node.key, "node"),
        )
    if low:
        has = said(int(rows.max()) + 1, f"{many(low, 'placement')}, to level {int(rows.max()) + 1}")
        yield rule.row(
            has, said(limit, f"≤ level {limit}"), has, "held", subject="placements", note=NOTE, remedy=flat
        )
    if not deep and not low:
        yield rule.row(f"level {levels}", f"≤ level {limit}", f"level {min(levels, limit)}", "cleared")


register(Requirement("under-root", "Depth of meshes", "fit", _judge, step="flatten"))
