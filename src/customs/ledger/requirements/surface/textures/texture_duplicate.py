"""Textures whose pixels are all alike."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.ledger.shapes import elements
from customs.route.steps.surface.textures.merge_textures import twins


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if case.sheet.rig.order_textures:
        # There each mesh is to have its own, alike or not.
        return
    scene = case.delivering
    used = {i for i, _ in case.after.used_images}
    bad = [
        (scene.images[a], said(str(scene.images[b].key), f"same as {scene.images[b].name}"))
        for a, b in twins(scene).items()
        if a in used and b in used
    ]
    before = len(twins(case.arrived))
    note = "Loaded twice there for nothing."
    yield from elements(
        rule,
        bad,
        "image",
        "each once",
        f"{before} twice" if before else "each once",
        "each once",
        "query",
        note,
        lambda im: remedy("merge-textures", "Make them one"),
    )


register(
    Requirement("texture-duplicate", "Textures that are alike", "surface", _judge, step="merge-textures")
)
