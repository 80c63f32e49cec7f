"""No more materials than the destination takes."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.ledger.shapes import limit_row
from customs.route.steps.surface.roles.atlas import after_atlas


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before, after = len(case.before.used_materials), len(case.after.used_materials)
    limit = case.sheet.materials.max_count
    fix = None
    if limit is not None and after > limit and (least := after_atlas(case.delivering)) < after:
        values = {"limit": case.sheet.textures.max_edge, "padding": 8}
        fix = remedy("atlas", f"Put {after} into {least}", sure=least <= limit, **values)
    yield from limit_row(rule, before, limit, after, "Each material is drawn by itself there.", fix)


register(Requirement("material-count", "Materials", "surface", _judge, step="atlas"))
