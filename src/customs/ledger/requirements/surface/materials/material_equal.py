"""Materials that differ in their names alone."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.route.steps.surface.materials.merge_materials import same_materials
from customs.scene.model import Scene


def _twice(scene: Scene, used: set[int]) -> dict[int, int]:
    return {a: b for a, b in same_materials(scene).items() if a in used and b in used}


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    scene = case.delivering
    found = _twice(scene, {i for i, _ in case.after.used_materials})
    bad = [
        (scene.materials[a], said(str(scene.materials[b].key), f"same as {scene.materials[b].name}"))
        for a, b in found.items()
    ]
    before = len(_twice(case.arrived, {i for i, _ in case.before.used_materials}))
    had = f"{before} twice" if before else "each once"
    note = "Drawn one by one there though they look alike."
    yield from elements(
        rule,
        bad,
        "material",
        "each once",
        had,
        "each once",
        "query",
        note,
        lambda m: remedy("merge-materials", "Make them one"),
    )


register(Requirement("material-equal", "Materials that are alike", "surface", _judge, step="merge-materials"))
