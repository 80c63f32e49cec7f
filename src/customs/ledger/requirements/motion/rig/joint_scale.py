"""Joints rest without a scale of their own, where the sheet asks."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.scene.model import Node
from customs.scene.tree import joint_nodes
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.rig.scaled_joints != "forbidden" or not case.after.used_skins:
        return
    nodes = [case.delivering.nodes[j] for j in sorted(joint_nodes(case.delivering))]
    bad = [
        (n, said(tuple(np.round(n.scale, 5).tolist()), " × ".join(f"{v:.3g}" for v in n.scale)))
        for n in nodes
        if max(abs(float(v) - 1) for v in n.scale) > 1e-3
    ]
    yield from elements(
        rule,
        bad,
        "node",
        said(1, "1 × 1 × 1"),
        many(len(nodes), "joint"),
        "1 × 1 × 1",
        "held",
        "Scale on a joint is dropped there, and what hangs below it shrinks or flies off.",
        _fix,
    )


def _fix(node: Node) -> Remedy | None:
    """One scale on all axes can go into what hangs below; three different ones would shear it."""
    even = float(np.ptp(node.scale)) < 1e-4 * float(np.abs(node.scale).max()) and float(node.scale[0]) > 0
    return remedy("settle", "Work the scale in") if even else None


register(Requirement("joint-scale", "Scaled joints", "motion", _judge, step="settle"))
