"""A skinned mesh stands directly under the root without a transform of its own."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.row import Case, Place, Requirement, Row, register, remedy
from customs.scene.tree import local_matrix, mesh_nodes
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = []
    for n in mesh_nodes(case.delivering):
        node = case.delivering.nodes[n]
        own = np.abs(local_matrix(node) - np.eye(4)).max() > 1e-6
        if node.skin is not None and (case.after.depth[n] > 0 or own):
            bad.append(node)
    for node in bad:
        yield rule.row(
            "own place",
            "under root",
            "own place",
            "query",
            subject=str(node.key),
            subject_name=node.name,
            note="glTF ignores the transform of a skinned mesh's node; other destinations apply it twice.",
            remedy=remedy("settle", "Settle transforms"),
            place=Place(node.key, "node"),
        )
    if not bad:
        yield rule.row(many(len(case.before.used_skins), "skin"), "under root", "under root", "cleared")


register(Requirement("skinned-place", "Place of skinned meshes", "motion", _judge, step="settle"))
