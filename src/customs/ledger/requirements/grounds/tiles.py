"""Tiles of a level hold no more triangles than the destination draws at once."""

from __future__ import annotations

from collections.abc import Iterator

from customs.grounds.kinds import kinds_of
from customs.grounds.tiles import fullest
from customs.ledger.grounds import asked
from customs.ledger.row import Case, Requirement, Row, register, remedy, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.grounds
    if not asked(case) or not rules.tile or rules.tile_triangles is None:
        return
    before = fullest(kinds_of(case.arrived), rules.tile)[1]
    (i, j), now = fullest(kinds_of(case.delivering), rules.tile)
    least = min(max(rules.smallest * 2, 0.2), 1e4)
    tried = any(
        at.stop.step == "small" and at.stop.settings.said().get("least", 0) >= least for at in case.passed
    )
    good = now <= rules.tile_triangles
    yield rule.row(
        f"{before:,} triangles", f"at most {rules.tile_triangles:,} in {rules.tile:g} m", said(now, f"{now:,} triangles"),
        "cleared" if good else "query",
        note="" if good else f"In the tile {i}, {j}: fewer or coarser things there, or smaller ones left out.",
        remedy=None if good or tried else remedy("small", f"Leave out what is under {least:g} m", sure=False, least=least),
    )  # fmt: skip


register(Requirement("tiles", "Triangles in a tile", "grounds", _judge, step="small"))
