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
        note = f"{count - limit:,} vertices too many. "
        if fix:
            note += "Welding brings it under."
        else:
            fix = remedy(
                "simplify",
                "Simplify to the limit",
                sure=False,
                targets=(str(mesh.key),),
                vertices=_aim(case, limit, count),
            )
            note += "A coarser mesh fits; how far it strays is said once it is made. Or cut it into several assets."
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


def _aim(case: Case, limit: int, count: int) -> int:
    """Vertices to simplify to: fewer than the limit where stops after it part some again, as they did the last time."""
    before = [dict(at.stop.values).get("vertices") for at in case.passed if at.stop.step == "simplify"]
    asked = min((int(v) for v in before if v), default=0)
    return max(asked * limit // count, 3) if asked else limit


register(Requirement("vertex-limit", "Vertices in a mesh", "fit", _judge, step="weld"))
