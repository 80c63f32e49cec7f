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
    joined = sum(
        n * len(p.positions)
        for n, m in zip(shown_times(case.delivering), case.delivering.meshes)
        for p in m.primitives
    )
    limit = case.sheet.mesh.max_vertices
    # Of a level one mesh could be made, but none that the destination takes.
    whole = len(case.delivering.placements) > 0 and limit is not None and joined > limit
    note = (
        f" Joined it would have {joined:,} vertices, and at most {limit:,} are taken: split the level."
        if whole
        else ""
    )
    yield rule.row(
        f"{before:,}",
        1,
        said(after, f"{after:,}"),
        "held" if bad else "cleared",
        note=f"The destination takes one mesh alone.{note}" if bad else "",
        remedy=remedy("join", "Join into one mesh") if after > 1 and not whole else None,
    )


register(Requirement("single-mesh", "Meshes", "fit", _judge, step="join"))
