"""One single mesh."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.scene.folding import shown_times


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.model.single_mesh:
        return
    # A mesh that stands in two places is two.
    before, after = (sum(shown_times(scene)) for scene in (case.arrived, case.delivering))
    bad = after != 1
    yield rule.row(
        f"{before:,}",
        1,
        said(after, f"{after:,}"),
        "held" if bad else "cleared",
        note="The destination takes one mesh alone." if bad else "",
        remedy=remedy("join", "Join into one mesh") if after > 1 else None,
    )


register(Requirement("single-mesh", "Meshes", "fit", _judge, step="join"))
