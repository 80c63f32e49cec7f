"""The height is one a thing could have; if not, the likeliest unit is proposed."""

from __future__ import annotations

from collections.abc import Iterator

from customs.conventions.fit import STANDING_FIGURE, proposals
from customs.grounds.things import is_level
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.words import figure

SMALLEST, LARGEST = 0.02, 60.0
LEVEL = 1.0, 10_000.0
"""Metres; outside of them an asset, and a level, is more often in a wrong unit than that small or large (common
practice).
"""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    unit = case.received.convention.metres_per_unit or 1.0
    before, after = float(case.before.size.max()), float(case.after.size.max())
    low, high = LEVEL if is_level(case.arrived) else (SMALLEST, LARGEST)
    required = f"{low:g}–{high:g} m"
    if low <= after <= high or after == 0:
        yield rule.row(f"{figure(before / unit)} units", required, f"{after:.3f} m", "cleared")
        return
    best = proposals(after, STANDING_FIGURE)[0]
    fix = remedy("scale", f"Scale × {best.factor:.4g}", sure=False, factor=best.factor)
    note = f"Likelier in another unit. {best.text()}."
    yield rule.row(
        f"{figure(before / unit)} units",
        said((low, high), required),
        said(after, f"{figure(after)} m"),
        "query",
        note=note,
        remedy=fix,
    )


register(Requirement("size-plausible", "Longest side", "fit", _judge, step="scale"))
