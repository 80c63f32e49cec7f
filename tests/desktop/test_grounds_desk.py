"""The desk Grounds in the real window: a mapping made by picking, a name resolved for all its places, a kind faint and left out, a light
taken, a bulk step, walked through, dispatched, landed, all undone.
"""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPolygonF
from PyQt6.QtTest import QTest

from customs.demo.court import PLACED, write_court
from customs.demo.textures import encoded
from customs.grounds.light import PICTURE
from customs.grounds.rules import KINDS
from customs.levels.mapping import mapping_text, read_mapping
from customs.work.grounds import key_of
from customs_desktop.widgets.basics import show_choice
from tests.desktop.conftest import Rig
from tests.formats.test_figure import MAPPING, other


@pytest.fixture
def court_desk(rig: Rig, tmp_path: Path) -> Rig:
    """The palm court, taken in through a mapping made in the window."""
    window = rig.window
    listed, _, library = write_court(tmp_path / "court")
    window.open_desk("grounds")
    panel = window.panel("grounds")
    page = panel.lists
    page.open_lists([listed])
    rig.wait(lambda: page.explored is not None)
    # What was guessed from the names of the places.
    assert page.entries.currentData() == "/world/objects/*"
    assert page.fields["name"].currentData() == "/mesh" and page.fields["position"].currentData() == "/at"
    assert page.fields["visible"].currentData() == "/shown" and page.turns.currentData() == "euler"
    # What a person has to say.
    show_choice(page.euler, "xyz")
    up, front, _, unit = page.frames["list"]
    show_choice(up, "+Z")
    show_choice(front, "-Y")
    unit.show_value(0.0254)
    page.add_library(library)
    rig.wait(lambda: "6 missing, 2 ambiguous" in page.told.text())
    assert f"{PLACED:,} placements" in page.told.text()
    page.files_of_mapping.save(tmp_path / "made.toml", mapping_text(page.mapping()))
    assert read_mapping(tmp_path / "made.toml") == page.mapping()
    page.take()
    rig.wait(lambda: window.session.asset is not None)
    window.session.set_sheet("level-kit")
    rig.settle()
    rig.wait(lambda: panel.looking.ground is not None)
    return rig


def pick_by_lines(rig: Rig) -> None:
    """Things inside a line that was drawn, one round everything and one round half of it."""
    window = rig.window
    looking = window.panel("grounds").looking
    rig.wait(lambda: "right" in window.twin.pictures)
    looking.lasso()
    rect = window.twin.areas()["right"]
    ring = [rect.topLeft(), rect.topRight(), rect.bottomRight(), rect.bottomLeft()]
    window.twin.lasso = None
    window.twin.lassoed.emit(QPolygonF([QPointF(p) for p in ring]))
    picked = len(looking.picked)
    assert picked > 500
    looking.hide_picked()
    assert window.twin.veil is not None and int(window.twin.veil.hidden_rows.sum()) > 400
    half = QPolygonF(
        [
            QPointF(rect.x(), rect.y()),
            QPointF(rect.center().x(), rect.y()),
            QPointF(rect.center().x(), rect.bottom()),
        ]
    )
    looking.all_again()
    window.twin.lassoed.emit(half)
    assert 0 < len(looking.picked) < picked
    looking.all_again()
    looking.pick(())


def test_a_level_from_its_list_to_its_landing(court_desk: Rig, tmp_path: Path) -> None:
    rig, folder = court_desk, tmp_path
    window = rig.window
    s, panel = window.session, window.panel("grounds")
    looking, first = panel.looking, s.state
    asset = s.asset
    assert asset is not None and asset.kind == f"level · {PLACED:,} placed"
    names = {name: (why, count) for name, why, count in looking.ground.missing}
    assert names["iron_bracket_02"] == ("no file of that name", 38)
    assert names["pane_wall_b"] == ("2 files may be meant", 8)

    # A name resolved for all its places.
    panel.missing.choose(
        "pane_wall_b", folder / "court" / "library" / "structure" / "new" / "pane_wall_b.glb"
    )
    rig.wait(lambda: s.asset is not None and "pane_wall_b" in s.asset.given)
    rig.wait(lambda: looking.ground is not None and len(looking.ground.missing) == 7)
    assert "pane_wall_b" not in {name for name, _, _ in looking.ground.missing}

    pick_by_lines(rig)

    # A kind faint in the view, another hidden: no decision.
    decided = s.state
    looking.set_state("foliage", "faint")
    looking.set_state("decal", "hidden")
    veil = window.twin.veil
    assert veil is not None and veil.faint_rows.any() and veil.hidden_rows.any() and s.state is decided
    panel.kinds.table.selectRow([r.kind for r in panel.kinds.rows].index("prop"))
    panel.kinds.solo()
    assert window.twin.veil is not None and window.twin.veil.hidden_rows.sum() > veil.hidden_rows.sum()
    looking.all_again()
    assert window.twin.veil is None

    # Left out: a decision, and the figures follow.
    count = next(r.count for r in panel.kinds.rows if r.kind == "decal")
    assert count == 61
    panel.kinds.leave_out("decal", True)
    rig.wait(lambda: looking.ground is not None and not looking.ground.found.of("decal").any())
    assert "decal" in panel.kinds.left_out

    # Picked in the table, marked in the view; taught for everything of its name.
    bench = int(np.flatnonzero(looking.ground.found.things.names == "bench")[0])
    looking.pick((bench,))
    assert str(key_of(looking.ground, bench)) in window.twin.marks
    show_choice(panel.placements.kind, "geometry")
    panel.placements._teach()
    geometry = KINDS.index("geometry")
    rig.wait(
        lambda: (
            looking.ground is not None
            and (looking.ground.found.codes[looking.ground.found.things.names == "bench"] == geometry).all()
        )
    )

    # A light taken.
    panel.light.parts["sky"].setChecked(False)
    panel.light.slider.setValue(80)
    assert window.twin.lit is not None
    panel.light.take()
    rig.wait(lambda: looking.ground is not None and len(looking.ground.scene.lights) == 2)
    assert max(light.intensity for light in looking.ground.scene.lights) < 0.8 * PICTURE

    # Walked through.
    panel.going.go("walk")
    walker = window.twin.walker
    assert walker is not None and abs(walker.eye[1] - 1.7) < 0.05
    start = walker.eye.copy()
    QTest.keyPress(window.twin, Qt.Key.Key_Up)
    rig.wait(lambda: float(np.linalg.norm(walker.eye - start)) > 0.5)
    QTest.keyRelease(window.twin, Qt.Key.Key_Up)
    assert abs(walker.eye[1] - 1.7) < 0.3
    panel.going.stop()
    assert window.twin.walker is None

    # Dispatched and landed.
    rig.wait(lambda: s.result is not None and s.result.judged)
    s.jobs.dispatch([s.current], folder / "out")
    rig.wait(lambda: s.current in s.logs)
    docket = json.loads(next((folder / "out").rglob("docket.json")).read_text("utf-8"))
    assert docket["sheet"]["id"] == "level-kit" and any(f["kind"] == "level list" for f in docket["files"])

    # All undone.
    while s.shipment is not None and s.state.goods:
        s.undo()
    assert not s.state.goods and first.goods


def test_the_list_that_was_chosen_last_is_the_one_shown(rig: Rig, tmp_path: Path) -> None:
    """A large list takes longer to look through than the small one chosen after it."""
    large, small = tmp_path / "large.json", tmp_path / "small.json"
    row = {"name": "a", "at": [0.0, 0.0, 0.0]}
    large.write_text(json.dumps({"many": [row] * 300_000}), "utf-8")
    small.write_text(json.dumps({"few": [row] * 3}), "utf-8")
    rig.window.open_desk("grounds")
    page = rig.window.panel("grounds").lists
    page.open_lists([large])
    page.open_lists([small])
    worker = rig.session.worker
    rig.wait(lambda: worker.waiting == 0)
    assert page.entries.currentData() == "/few/*"
    assert page.told.text().startswith("3 placements")


def test_a_mapping_is_opened_and_figures_are_taken_in_through_one(rig: Rig, tmp_path: Path) -> None:
    listed, mapping, _ = write_court(tmp_path / "court")
    rig.window.open_desk("grounds")
    page = rig.window.panel("grounds").lists
    page.open_lists([listed])
    rig.wait(lambda: page.explored is not None)
    page.files_of_mapping.open(mapping)
    assert page.mapping() == read_mapping(mapping).model_copy(update={"title": ""})
    (tmp_path / "bad.toml").write_text("version = 1\nparts = 3", "utf-8")
    page.files_of_mapping.open(tmp_path / "bad.toml")
    assert any("bad.toml" in text for text, _ in rig.said)
    # The same page takes in figures of boxes.
    (tmp_path / "boxes.toml").write_text(MAPPING, "utf-8")
    (tmp_path / "stork.json").write_text(json.dumps(other([0, 0, 0])), "utf-8")
    (tmp_path / "stork.png").write_bytes(encoded(np.zeros((32, 64, 3), np.uint8), "png"))
    page.paths = [tmp_path / "stork.json"]
    page.files_of_mapping.open(tmp_path / "boxes.toml")
    rig.wait(lambda: len(rig.session.state.goods) == 1)
    rig.settle()
    assert rig.session.asset is not None and rig.session.asset.name == "Stork"
    # Its picture is kept with it.
    assert any(f.endswith("stork.png") for f in rig.session.asset.files) and not rig.session.asset.absent
    assert rig.session.result is not None and rig.session.result.passed[0].scene.images[0].there
