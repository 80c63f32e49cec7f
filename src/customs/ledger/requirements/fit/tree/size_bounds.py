"""The size lies between the two bounds the sheet draws from its example."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from customs.conventions.fit import proposals
from customs.ledger.row import Case, Requirement, Row, register, remedy, said

Size = tuple[float, float, float] | None


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    low, high = case.sheet.model.min_size, case.sheet.model.max_size
    size = case.after.size
    if (low is None and high is None) or not size.any():
        return
    fits = _fits(size, low, high)
    fix = None
    if not fits:
        # A named unit factor that fits beats the exact middle of the bounds.
        middle = max(high or low or (1.0,)) / 2
        ranked = proposals(float(size.max()), middle)
        factor = next((p.factor for p in ranked if _fits(size * p.factor, low, high)), ranked[-1].factor)
        fix = remedy("scale", f"Scale × {factor:.4g}", sure=False, factor=factor)
    bounds = f"{_text(low)} to {_text(high)} m"
    note = "" if fits else f"Outside the bounds taken from {case.sheet.model.example or 'the sheet'}."
    row = rule.row(
        f"{_text(case.before.size)} m",
        said((low, high), bounds),
        said(tuple(np.round(size, 6).tolist()), f"{_text(size)} m"),
        "cleared" if fits else "held",
    )
    yield replace(row, note=note, remedy=fix)


def _fits(size: np.ndarray, low: Size, high: Size) -> bool:
    too_small = low is not None and bool((size < np.array(low) * (1 - 1e-6)).all())
    too_large = high is not None and bool((size > np.array(high) * (1 + 1e-6)).any())
    return not too_small and not too_large


def _text(size: object) -> str:
    return "any" if size is None else " × ".join(f"{v:.2f}" for v in size)  # type: ignore[attr-defined]


register(Requirement("size-bounds", "Size", "fit", _judge, step="scale"))
