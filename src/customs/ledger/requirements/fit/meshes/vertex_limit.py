"""Vertices of each mesh within the limit."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.ledger.shapes import shown


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    limit = case.sheet.mesh.max_vertices
    if limit is None:
        return
    most = max((sum(len(p.positions) for p in m.primitives) for m in shown(case.before)), default=0)
    over = [(m, n) for m in shown(case.after) if (n := sum(len(p.positions) for p in m.primitives)) > limit]
    for mesh, count in over:
        spare = sum(facts_of(p).spare_vertices for p in mesh.primitives)
        fix = remedy("weld", "Weld vertices") if count - spare <= limit and spare else None
        note = f"{count - limit:,} vertices too many. " + (
            "Welding brings it under." if fix else "Deliver a coarser mesh, or cut it into several assets."
        )
        yield rule.row(
            f"{most:,}",
            said(limit, f"≤ {limit:,}"),
            said(count, f"{count:,}"),
            "held",
            badness=count,
            subject=str(mesh.key),
            subject_name=mesh.name,
            note=note,
            remedy=fix,
            place=Place(mesh.key, "mesh"),
        )
    if not over:
        now = max((sum(len(p.positions) for p in m.primitives) for m in shown(case.after)), default=0)
        yield rule.row(f"{most:,}", f"≤ {limit:,}", f"{now:,}", "cleared")


register(Requirement("vertex-limit", "Vertices in a mesh", "fit", _judge, step="weld"))
