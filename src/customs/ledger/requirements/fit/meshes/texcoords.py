"""UVs where a texture needs them."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive, Scene
from customs.surface.guess import single_value

MANY = 12_000
"""Unwrapping more faces of an asset than this takes long: a person decides."""


def _lacking(scene: Scene, wanted: str, prim: Primitive) -> int:
    if not facts_of(prim).faces:
        return 0
    uses = scene.materials[prim.material].textures.values() if prim.material is not None else ()
    need = max((u.texcoord + 1 for u in uses), default=1 if wanted == "required" else 0)
    return len(prim.positions) if len(prim.texcoords) < need else 0


def _fix(case: Case, mesh: Mesh) -> Remedy | None:
    bare = [p for p in mesh.primitives if facts_of(p).faces and not p.texcoords]
    if not bare:
        return None
    # Where nothing was painted for the surface, any layout is as good as another.
    scene = case.delivering
    images = {
        u.image for p in bare if p.material is not None for u in scene.materials[p.material].textures.values()
    }
    textured = any(single_value(scene.images[i]) is None for i in images)
    everywhere = (p for m in scene.meshes for p in m.primitives if facts_of(p).faces and not p.texcoords)
    many = sum(facts_of(p).faces for p in everywhere) > MANY
    return remedy("unwrap", "Unwrap it", sure=not textured and not many, targets=(str(mesh.key),))


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wanted = case.sheet.mesh.texcoords
    if wanted == "allowed":
        return
    names = {
        p.key: _lacking(case.delivering, wanted, p) for m in case.delivering.meshes for p in m.primitives
    }
    note = "A texture has nothing to hold on to. Unwrapping gives it something, not the layout it was painted for."
    yield from per_mesh(
        rule, case, lambda p: names.get(p.key, 0), "held", lambda mesh: _fix(case, mesh), note
    )


register(Requirement("texcoords", "Vertices without UVs", "fit", _judge, step="unwrap"))
