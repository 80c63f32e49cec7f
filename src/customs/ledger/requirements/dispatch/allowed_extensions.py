"""Only extensions the destination reads."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.ledger.used import extensions_used
from customs.scene.prune import prune
from customs.scene.strangers import going


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    allowed = case.sheet.model.extensions
    if allowed is None or case.sheet.model.format not in ("glb", "gltf"):
        return
    before, after = extensions_used(case.arrived), extensions_used(case.delivering)
    strange = sorted(set(after) - set(allowed))
    unknown = going(prune(case.delivering))
    for name in strange:
        note = "The destination does not read it: what it says is lost there."
        fix = (
            remedy("leave-out", "Leave what nobody here knows out", strangers=True)
            if name in unknown
            else None
        )
        yield rule.row(
            name,
            "read there",
            said(name, name),
            "query",
            subject=name,
            subject_name=name,
            note=note,
            remedy=fix,
        )
    if not strange:
        yield rule.row(f"{len(before)} used", "read there", f"{len(after)} used", "cleared")


register(Requirement("allowed-extensions", "Extensions delivered", "dispatch", _judge, step="leave-out"))
