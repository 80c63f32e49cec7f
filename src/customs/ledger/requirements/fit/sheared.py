"""No node is sheared: translation, turn and scale cannot say that."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Place, Requirement, Row, register, remedy


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = [n for n in case.delivering.nodes if n.matrix is not None]
    had = sum(n.matrix is not None for n in case.arrived.nodes)
    for node in bad:
        yield rule.row(
            "sheared",
            "none",
            "sheared",
            "held",
            subject=str(node.key),
            subject_name=node.name,
            place=Place(node.key, "node"),
            note="The node's matrix holds shear, which most destinations drop.",
            remedy=remedy("settle", "Settle transforms"),
        )
    if not bad:
        yield rule.row(f"{had}", "0", "0", "cleared")


register(Requirement("sheared", "Sheared nodes", "fit", _judge, step="settle"))
