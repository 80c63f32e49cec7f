"""Joints rest without a scale of their own, where the sheet asks."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import elements
from customs.scene.tree import joint_nodes
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.rig.scaled_joints != "forbidden" or not case.after.used_skins:
        return
    nodes = [case.delivering.nodes[j] for j in sorted(joint_nodes(case.delivering))]
    bad = [(n, " × ".join(f"{v:.3g}" for v in n.scale)) for n in nodes if max(abs(float(v) - 1) for v in n.scale) > 1e-3]
    yield from elements(
        rule, bad, "node", "1 × 1 × 1", many(len(nodes), "joint"), "1 × 1 × 1", "held",
        "Scale on a joint is dropped there, and what hangs below it shrinks or flies off.", lambda n: None,
    )  # fmt: skip


register(Requirement("joint-scale", "Scaled joints", "motion", _judge))
