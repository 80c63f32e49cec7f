"""What does not come along, kind by kind: said of every asset, asked about where nobody wanted it gone."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.finite import finite_vertices
from customs.ledger.left import Loss, losses
from customs.ledger.row import Case, Place, Requirement, Row, register, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    found = losses(case.arrived, case.delivering, case.format, case.passed)
    for loss in found:
        if loss.kind == "extensions":
            # Each has a row of its own, Extensions.
            continue
        yield rule.row(
            f"{loss.before:,}",
            "said",
            said(loss.count, f"{loss.after:,}"),
            "query" if loss.unasked else "cleared",
            subject=loss.kind,
            subject_name=loss.title,
            note=loss.text()
            + (". Look at the place, and accept it or mend the source." if loss.unasked else "."),
            place=_place(case, loss),
            values={"before": loss.before, "after": loss.after},
        )
    if not found:
        yield rule.row("all", "said", "all", "cleared")


def _place(case: Case, loss: Loss) -> Place | None:
    """The first part with broken numbers, where faces went for them."""
    if loss.kind != "faces":
        return None
    return next(
        (
            Place(p.key, "primitive")
            for m in case.arrived.meshes
            for p in m.primitives
            if not finite_vertices(p).all()
        ),
        None,
    )


register(Requirement("left-behind", "Left behind", "dispatch", _judge))
