"""Tangents where a normal map needs them, none where they are refused."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.materials import tangent_set
from customs.ledger.facts import facts_of
from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import per_mesh
from customs.scene.model import Mesh, Primitive, Scene


def _lacking(scene: Scene, prim: Primitive) -> int:
    texcoord = tangent_set(None if prim.material is None else scene.materials[prim.material])
    needs = texcoord is not None and facts_of(prim).faces and texcoord < len(prim.texcoords)
    return len(prim.positions) if needs and prim.tangents is None else 0


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wanted = case.sheet.mesh.tangents

    def make(mesh: Mesh) -> Remedy | None:
        return remedy("tangents", "Make tangents")

    def drop(mesh: Mesh) -> Remedy | None:
        return remedy("tangents", "Drop tangents", where="drop")

    if wanted == "with-normal-map":
        names = {p.key: _lacking(case.delivering, p) for m in case.delivering.meshes for p in m.primitives}
        note = "Without them each destination makes its own, and seams show."
        yield from per_mesh(rule, case, lambda p: names.get(p.key, 0), "held", make, note)
    elif wanted == "forbidden":
        has = lambda p: 0 if p.tangents is None else len(p.positions)  # noqa: E731
        yield from per_mesh(rule, case, has, "query", drop, "Not read there.", required="none")


register(Requirement("tangents", "Tangents to make", "fit", _judge, step="tangents"))
