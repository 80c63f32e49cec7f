"""Fittings a sheet takes where somebody made them: delivered and landed when they are there, never lost in silence."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from customs.landing.land import land
from customs.ledger.row import About, Case, Row, requirements
from customs.scene.model import Scene
from customs.sheet.load import load_sheet
from customs.sheet.model import Sheet
from customs.work.lookup import find_sheet
from tests.changes.test_coarser import run
from tests.landing.test_fittings import fitted
from tests.landing.test_rules import delivered, refusals
from tests.outside.judges import validate

POST = ("hook", (0.0, 2.0, 0.0), (0.0, 1.0, 0.0), "", "")


def bare() -> Scene:
    """The ball without any of it."""
    scene = fitted()
    nodes = tuple(n for n in scene.nodes if not n.holds)
    meshes = tuple(replace(m, levels=(), reach=()) for m in scene.meshes)
    return replace(scene, nodes=nodes, roots=(0,), meshes=meshes)


def rows(scene: Scene, sheet: Sheet, requirement: str) -> list[Row]:
    rule = requirements()[requirement]
    return list(rule.judge(rule, Case(scene, scene, scene, sheet, About())))


@pytest.mark.parametrize("name", ["metre-yup-pbr", "centimetre-zup-lh", "one-mesh-kit", "clips-apart-kit"])
def test_nothing_is_asked_and_no_document_written_where_nothing_was_made(name: str, tmp_path: Path) -> None:
    sheet = load_sheet(name)
    for requirement in ("levels", "shapes", "posts"):
        assert rows(bare(), sheet, requirement) == []
    folder = delivered(bare(), sheet, tmp_path)
    assert not (folder / "ball.json").exists()
    assert "ball.json" not in refusals(land(folder, find_sheet))


@pytest.mark.parametrize(
    ("name", "levels", "shapes"),
    [("metre-yup-pbr", 3, 3), ("centimetre-zup-lh", 3, 0), ("one-mesh-kit", 0, 2), ("clips-apart-kit", 0, 2)],
)
def test_what_was_made_is_delivered_and_told(name: str, levels: int, shapes: int, tmp_path: Path) -> None:
    sheet, scene = load_sheet(name), run("posts", fitted(), posts=[POST]).scene
    folder = delivered(scene, sheet, tmp_path)
    facts = json.loads((folder / "ball.json").read_text("utf-8"))
    assert len(facts.get("levels", [])) == levels and len(facts.get("shapes", [])) == shapes
    assert [p["name"] for p in facts.get("posts", [])] == (["hook"] if sheet.posts.form == "nodes" else [])
    log = land(folder, find_sheet)
    told = [
        x
        for x in refusals(log).splitlines()
        if any(w in x for w in ("lod", "level", "shape", "post", ".json"))
    ]
    assert not told
    if name == "metre-yup-pbr":
        assert log.accepted and validate([folder / "ball.glb"]) == []


def test_what_a_destination_does_not_take_is_said_with_a_remedy_that_works() -> None:
    scene, sheet = run("posts", fitted(), posts=[POST]).scene, load_sheet("split-rig-kit")
    for requirement, count in (("levels", 1), ("shapes", 3), ("posts", 1)):
        found = rows(scene, sheet, requirement)
        assert [r.verdict for r in found] == ["query"] * count, requirement
        for row in found:
            assert row.remedy is not None and not row.remedy.sure
    # A remedy changes the settings of the stop that made them.
    fixes = {r: {k: v for row in rows(scene, sheet, r) if row.remedy for k, v in row.remedy.values.items()}
             for r in ("levels", "shapes", "posts")}  # fmt: skip
    without = run("shapes", run("lods", bare(), **fixes["levels"]).scene, **fixes["shapes"]).scene
    without = run("posts", without, **{"posts": [POST], **fixes["posts"]}).scene
    assert [rows(without, sheet, r) for r in ("levels", "shapes", "posts")] == [[], [], []]


def test_one_mesh_alone_has_a_distance_too(tmp_path: Path) -> None:
    """10,000 m (common practice)."""
    scene = run("lods", bare(), ratios=()).scene
    folder = delivered(scene, load_sheet("metre-yup-pbr"), tmp_path)
    (row,) = json.loads((folder / "ball.json").read_text("utf-8"))["levels"]
    assert row["until"] == 10_000 and land(folder, find_sheet).accepted


def test_a_name_that_is_read_as_a_level_without_a_document_is_remarked(tmp_path: Path) -> None:
    scene = bare()
    twin = replace(scene.nodes[0], key=replace(scene.nodes[0].key, ordinal=8), name="ball_lod1")
    both = replace(scene, nodes=(*scene.nodes, twin), roots=(0, 1))
    folder = delivered(both, load_sheet("metre-yup-pbr"), tmp_path)
    assert any("is read as a level, and no document" in line.text for line in land(folder, find_sheet).lines)


def test_a_document_that_was_taken_away_is_missed(tmp_path: Path) -> None:
    folder = delivered(fitted(), load_sheet("metre-yup-pbr"), tmp_path)
    (folder / "ball.json").unlink()
    assert "ball.json" in refusals(land(folder, find_sheet))
