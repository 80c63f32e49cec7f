"""Every face has a material."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import per_mesh
from customs.scene.model import Primitive


def _bare(prim: Primitive) -> int:
    return facts_of(prim).faces if prim.material is None else 0


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.materials.every_face:
        note = "Drawn with the destination's default material, usually plain grey."
        yield from per_mesh(rule, case, _bare, "query", lambda mesh: None, note)


register(Requirement("every-face", "Faces without material", "surface", _judge))
