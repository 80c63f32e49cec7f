"""Mirrored UVs under a normal map, where the format could tell by tangents and the destination takes none."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from customs.changes.materials import tangent_set
from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import per_mesh
from customs.scene.model import Primitive


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.mesh.tangents != "forbidden" or "tangents" not in case.format.carries:
        return
    relief = {
        i
        for scene in (case.delivering, case.arrived)
        for i, m in enumerate(scene.materials)
        if tangent_set(m) is not None
    }

    def mask(prim: Primitive) -> npt.NDArray[np.bool_]:
        faces = facts_of(prim).uv_flipped
        return faces if prim.material in relief else np.zeros_like(faces)

    note = "Without tangents some destinations light mirrored halves from the wrong side: look at it there."
    yield from per_mesh(rule, case, lambda p: int(mask(p).sum()), "query", lambda mesh: None, note, mask=mask)


register(Requirement("uv-flipped", "Mirrored UVs under relief", "surface", _judge))
