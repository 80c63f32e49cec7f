"""UVs where a texture needs them."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Requirement, Row, register
from customs.ledger.shapes import per_mesh
from customs.scene.model import Primitive, Scene


def _lacking(scene: Scene, wanted: str, prim: Primitive) -> int:
    if not facts_of(prim).faces:
        return 0
    uses = scene.materials[prim.material].textures.values() if prim.material is not None else ()
    need = max((u.texcoord + 1 for u in uses), default=1 if wanted == "required" else 0)
    return len(prim.positions) if len(prim.texcoords) < need else 0


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wanted = case.sheet.mesh.texcoords
    if wanted == "allowed":
        return
    names = {p.key: _lacking(case.delivering, wanted, p) for m in case.delivering.meshes for p in m.primitives}
    note = "A texture has nothing to hold on to. Lay out UVs where the model was made and take it in again."
    yield from per_mesh(rule, case, lambda p: names.get(p.key, 0), "held", lambda mesh: None, note)


register(Requirement("texcoords", "Vertices without UVs", "fit", _judge))
