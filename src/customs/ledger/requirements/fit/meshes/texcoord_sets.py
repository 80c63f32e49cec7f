"""No more UV sets than the destination reads."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.laying import way_for
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import limit_row, shown
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    limit = case.sheet.mesh.max_texcoord_sets
    before = max((len(p.texcoords) for m in shown(case.before) for p in m.primitives), default=0)
    after = max((len(p.texcoords) for m in shown(case.after) for p in m.primitives), default=0)
    scene = case.delivering
    used = any(u.texcoord >= (limit or 0) for _, m in case.after.used_materials for u in m.textures.values())
    able = (
        all(way_for(scene, i).main is not None for i, m in case.after.used_materials if m.textures)
        if used and limit
        else True
    )
    fix: Remedy | None = remedy("leave-out", f"Keep {many(limit or 0, 'UV set')}", texcoord_sets=limit)
    if used and limit:
        fix = remedy("lay-uvs", "Lay UVs anew", sets=limit) if able else None
    yield from limit_row(rule, before, limit, after, "Further UV sets are dropped or refused there.", fix)


register(Requirement("texcoord-sets", "UV sets", "fit", _judge, step="leave-out"))
