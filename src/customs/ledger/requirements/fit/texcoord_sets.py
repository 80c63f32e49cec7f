"""No more UV sets than the destination reads."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import limit_row, shown


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    limit = case.sheet.mesh.max_texcoord_sets
    before = max((len(p.texcoords) for m in shown(case.before) for p in m.primitives), default=0)
    after = max((len(p.texcoords) for m in shown(case.after) for p in m.primitives), default=0)
    fix = remedy("leave-out", f"Keep {limit} UV set", texcoord_sets=limit)
    yield from limit_row(rule, before, limit, after, "Further UV sets are dropped or refused there.", fix)


register(Requirement("texcoord-sets", "UV sets", "fit", _judge, step="leave-out"))
