"""What a newcomer meets: an empty window, a file that cannot be read, a landing of nothing, destinations to
choose from.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF
from PyQt6.QtTest import QTest

from customs.scene.model import Material
from customs.sheet.load import shipped_texts
from customs.shipment.file import Shipment
from customs.work.places import sheets_folder
from customs_desktop.widgets.choices import Choice
from tests.assets import frozen_grid, key, saved, scene_of
from tests.desktop.conftest import Rig
from tests.desktop.test_hands import LEFT


def test_an_empty_window_shows_no_controls_for_nothing(rig: Rig) -> None:
    w = rig.window
    assert (
        not any(part.isVisible() for part in w.panel("fit").folds)
        and "Nothing is taken in" in w.panel("fit").nothing.text()
    )
    head = w.goods.search.mapTo(w, QPoint(0, 0)).y()
    assert head < 180, "the head of the goods stands at the top of its column"
    w.open_desk("landing")
    assert w.panel("landing").go.isVisible() and not w.panel("landing").again.isVisible()
    w.panel("landing").go.click()
    assert w.desk == "dispatch"


def test_nothing_of_the_asset_before_stays_with_one_that_cannot_be_read(small: Rig, tmp_path: Path) -> None:
    w, s = small.window, small.session
    w.open_desk("surface")
    small.settle()
    small.wait(lambda: w.panel("surface").scene is not None)
    path = tmp_path / "a_file_of_a_long_name_that_cannot_be_read.glb"
    path.write_bytes(b"glTF\2\0\0\0")
    s.jobs.take_in([path], None)
    small.settle()
    s.select("a_file_of_a_long_name_that_cannot_be_read")
    small.settle()
    assert s.asset is not None and s.result is not None and s.result.error is not None
    assert w.panel("surface").scene is None and w.panel("surface").picked_material is None
    w.open_desk("fit")
    assert not w.panel("fit").isEnabled() and not any(part.isVisible() for part in w.panel("fit").folds)
    said = str(s.result.error)
    assert str(path) in said and ".store" not in said, "it names the person's own file"
    assert w.ledger.about.text() == "1 requirement"


def test_a_long_stop_widens_no_panel(small: Rig) -> None:
    w = small.window
    before = w.panel("fit").widget().sizeHint().width()  # type: ignore[union-attr]
    w.panel("fit").stop_title.setText("Formats · convert-textures@1 of a name without end " * 3)
    assert w.panel("fit").widget().sizeHint().width() <= before + 1  # type: ignore[union-attr]


def test_destinations_come_in_columns_and_broken_ones_are_named(small: Rig) -> None:
    w, s = small.window, small.session
    folder = sheets_folder()
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "torn.toml").write_text("version = [")
    menu = w.tickets.sheet_menu()
    entries = [a for a in menu.actions() if isinstance(a, Choice)]
    assert len(entries) == len(shipped_texts()) and [a.isChecked() for a in entries].count(True) == 1
    assert all(a.toolTip() and a.row.accessibleName().startswith(a.text()) for a in entries)
    assert any(a.text().startswith("torn:") and not a.isEnabled() for a in menu.actions())
    menu.popup(QPoint(0, 0))
    kit = next(a for a in entries if a.text() == "One-mesh kit")
    QTest.mouseMove(kit.row, QPoint(5, 5))
    kit.hover()
    assert kit.row.active and sum(a.row.active for a in entries) == 1
    QTest.mouseRelease(kit.row, LEFT, pos=QPoint(5, 5))
    small.settle()
    assert s.sheet.id == "one-mesh-kit" and not menu.isVisible()


def test_a_package_says_its_size_before_it_is_written(small: Rig, tmp_path: Path) -> None:
    w, s = small.window, small.session
    w.open_desk("dispatch")
    w.deck.open("Package")
    small.settle()
    tree = w.panel("dispatch").package.tree
    top = tree.topLevelItem(0)
    assert top is not None and "≈" in "".join(top.child(i).text(2) for i in range(top.childCount()))  # type: ignore[union-attr]
    said = w.panel("dispatch").package.total.text()
    from customs.dispatch.sizes import planned_sizes

    assert s.result is not None
    textures, models = planned_sizes(s.result.passed[-1].scene, s.sheet)
    w.panel("dispatch").out.setText(str(tmp_path))
    w.panel("dispatch").one.click()
    small.wait(lambda: s.current in s.packages)
    real = sum(p.stat().st_size for p in s.packages[s.current].rglob("*") if not p.name.startswith("docket"))
    assert 0.4 < (sum(textures.values()) + models) / real < 2.5 and "in all" in said


def test_islands_are_picked_in_the_layout(small: Rig, tmp_path: Path) -> None:
    w, s = small.window, small.session
    sheet = replace(frozen_grid(0, (0.2, 0.2)), material=0)
    slate = Material(key("material", 0), "slate", metallic=0.0)
    path = saved(replace(scene_of(sheet), name="tray", materials=(slate,)), tmp_path / "tray.glb")
    s.jobs.take_in([path], None)
    small.settle()
    s.select("tray")
    w.open_desk("surface")
    w.deck.open("UV")
    small.settle()
    page = w.panel("surface").uv
    small.wait(lambda: page.figures is not None and page.figures.faces == 18)
    square = page.layout_._square()
    x, y = page.layout_.window_.places(np.array([0.5, 0.5]), int(square.width()))
    QTest.mouseClick(page.layout_, LEFT, pos=(square.topLeft() + QPointF(float(x), float(y))).toPoint())
    small.wait(lambda: page.figures is not None and page.figures.picked == 18)
    assert "18 faces picked" in page.lines[-1].text()


@pytest.mark.parametrize("code", [0, 1])
def test_compiling_is_said_at_the_foot_and_waited_for_by_nobody(
    rig: Rig, code: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    from customs_desktop import start

    class Child:
        def poll(self) -> int:
            return code

    monkeypatch.setattr(start, "begin", Child)
    start._compile_kernels(rig.window)
    assert "once" in rig.window.notice_text.text()
    rig.wait(lambda: ("ready" if code == 0 else "more slowly") in rig.window.notice_text.text())


def test_the_bar_stays_in_the_view_whatever_stands_at_the_foot(small: Rig) -> None:
    w = small.window
    for show in (w.tour.begin, lambda: w.say("Something happened.", "held"), w.tour.end, w.notice.hide):
        show()
        small.wait(lambda: w.bar.geometry().bottom() == w.twin.height() - 11)


def test_kept_verdicts_are_shown_before_others_are_looked_at(
    small: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    s = small.session
    assert s.shipment is not None
    path, asked = s.shipment.path, list[str]()
    s.select("bar")
    submit = s.worker.submit
    monkeypatch.setattr(s.worker, "submit", lambda task: (asked.append(task.title), submit(task))[1])
    s.show_shipment(Shipment.create(path.with_name("other.customs")))
    small.settle()
    asked.clear()
    s.open(path)
    assert "Opening" in asked and sum(t.startswith("Looking at") for t in asked) <= 1, asked
    small.settle()
    assert {t for t in asked if t.startswith("Looking at")} == {f"Looking at {a.name}" for a in s.state.goods}
