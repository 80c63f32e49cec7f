"""No mesh needs more joints at once than the destination takes."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Place, Requirement, Row, register, remedy
from customs.ledger.shapes import shown
from customs.motion.weights.partition import joints_used
from customs.scene.model import Mesh


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    limit = case.sheet.rig.max_mesh_joints
    if limit is None or not case.after.used_skins:
        return

    def needed(mesh: Mesh) -> int:
        return len({int(k) for p in mesh.primitives for k in joints_used(p)})

    before = max((needed(m) for m in shown(case.before)), default=0)
    bad = [(m, n) for m in shown(case.after) if (n := needed(m)) > limit]
    for mesh, count in bad:
        yield rule.row(
            f"{before}",
            f"≤ {limit}",
            f"{count}",
            "held",
            subject=str(mesh.key),
            subject_name=mesh.name,
            note="Joints over the limit are not moved there, and their part of the mesh stays behind.",
            remedy=remedy("split-joints", "Cut the mesh", limit=limit),
            place=Place(mesh.key, "mesh"),
        )
    if not bad:
        most = max((needed(m) for m in shown(case.after)), default=0)
        yield rule.row(f"{before}", f"≤ {limit}", f"{most}", "cleared")


register(Requirement("mesh-joints", "Joints of a mesh", "motion", _judge, step="split-joints"))
