"""The origin is where the sheet wants it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.changes.footing import footing_point
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.tolerances import FOOTING


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    kind = case.sheet.model.footing
    if kind in ("as-received", "point") or case.after.box is None:
        return
    at = footing_point(case.delivering, kind, (0, 0, 0))
    was = footing_point(case.arrived, kind, (0, 0, 0))
    assert at is not None and was is not None
    reach = float(np.linalg.norm(at))
    off = reach > FOOTING * max(float(np.linalg.norm(case.after.size)), 1e-9)
    words = kind.replace("-", " ")
    yield rule.row(
        f"{np.linalg.norm(was):.4g} m off",
        said(kind, f"{words} at 0"),
        said(round(reach, 6), f"{reach:.4g} m off") if off else "at 0",
        "held" if off else "cleared",
        note=f"The {words} lies {reach:.3g} m from the origin." if off else "",
        remedy=remedy("footing", f"Put {words} at 0", kind=kind) if off else None,
    )


register(Requirement("footing", "Footing", "fit", _judge, step="footing"))
