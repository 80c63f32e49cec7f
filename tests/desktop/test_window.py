"""The window as a person uses it."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PyQt6.QtGui import QDropEvent, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit, QPushButton

from customs.ledger.ledger import effective
from customs.route.step import steps
from customs.shipment.file import Shipment
from customs_desktop.desk import DESKS
from customs_desktop.sheet_editor import line_of
from customs_desktop.start import TURN
from customs_desktop.style import theme
from customs_desktop.views.view_bar import MODES, SHADINGS
from customs_desktop.window import PANEL_WIDTH, WIDER
from customs_desktop.worker import explain
from tests.desktop.conftest import Rig

DESK_STALL, LOOPS, USUAL = 0.1, 10**6, 0.04
"""Seconds the interface thread may stall in CI, on a machine that goes through so many loops in the usual seconds; a slower one, or one
whose time is taken by others, has as much more.
"""


def drop(rig: Rig, *paths: Path) -> None:
    """Drop files on the window, as the desktop would."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    event = QDropEvent(
        QPointF(400, 300),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    rig.window.dropEvent(event)


def test_from_a_dropped_file_to_landing_and_all_the_way_back(
    rig: Rig, goods: dict[str, Path], tmp_path: Path
) -> None:
    s, w = rig.session, rig.window
    drop(rig, goods["watering_stork"])
    rig.wait(lambda: s.asset is not None)
    rig.settle()
    assert rig.steps()[0] == "arrive" and len(rig.steps()) > 2, "a route is planned"
    # the file says metres: the ledger asks about the size, and its remedy is there to press
    row = rig.row("size-plausible")
    assert row.verdict == "query" and row.remedy is not None
    model = w.ledger.model
    index = model.index(next(i for i, r in enumerate(model.rows) if r.id == row.id), len(model.columns) - 1)
    rect = w.ledger.table.visualRect(index)
    viewport = w.ledger.table.viewport()
    assert viewport is not None
    QTest.mouseClick(
        viewport,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
        QPoint(rect.x() + 30, rect.center().y()),
    )
    rig.wait(lambda: "scale" in rig.steps())
    rig.settle()
    assert rig.row("size-plausible").verdict == "cleared"
    w.open_desk("dispatch")
    w.panel("dispatch").out.setText(str(tmp_path / "out"))
    w.panel("dispatch").one.click()
    rig.wait(lambda: s.current in s.logs)
    assert s.logs[s.current].accepted and (tmp_path / "out" / "watering_stork" / "docket.json").is_file()
    w.open_desk("landing")
    assert w.panel("landing").word.text() == "Accepted" and w.twin.landing
    rig.wait(lambda: "right" in w.twin.pictures or w.twin.problem)
    while w.menus.actions["Undo"].isEnabled():
        w.menus.actions["Undo"].trigger()
    rig.settle()
    assert s.state.goods == () and w.menus.actions["Do again"].isEnabled()
    while w.menus.actions["Do again"].isEnabled():
        w.menus.actions["Do again"].trigger()
    rig.settle()
    assert s.asset is not None and "scale" in rig.steps()


@pytest.mark.goods("watering_stork")
def test_every_stop_mode_and_shading_gives_a_picture(demo: Rig) -> None:
    w, s = demo.window, demo.session
    assert s.asset is not None
    for stop in s.asset.stops:
        s.pick(stop.id)
        demo.wait(lambda: s.worker.waiting == 0 and "right" in w.twin.pictures)
        assert w.twin.right is not None and steps()[stop.step].name in w.twin.right.title
    for mode, _ in MODES:
        w.bar.modes[mode].click()
        w.twin.pictures.clear()
        w.twin.ask()
        demo.wait(lambda: set(w.twin.pictures) == {"left", "right"})
        assert w.twin.mode == mode
    for shading, _ in SHADINGS:
        w.twin.pictures.clear()
        w.twin.set_look(shading=shading)
        demo.wait(lambda: "right" in w.twin.pictures)
    for box in (w.bar.wire, w.bar.grid, w.bar.ruler, w.bar.figure):
        box.click()
    assert w.twin.look.wire and not w.twin.look.grid and not w.twin.look.dimensions and not w.twin.figure


@pytest.mark.goods("bell_lantern")
def test_the_camera_moves_both_halves(demo: Rig) -> None:
    twin = demo.window.twin
    demo.wait(lambda: "right" in twin.pictures)
    before = twin.orbits()
    QTest.mousePress(twin, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(100, 200))
    QTest.mouseMove(twin, QPoint(160, 230))
    QTest.mouseRelease(twin, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(160, 230))
    after = twin.orbits()
    assert after["left"].yaw == after["right"].yaw != before["right"].yaw
    twin.turn(zoom=2.0)
    assert twin.orbits()["right"].distance == pytest.approx(after["right"].distance / 2)
    twin.frame()
    assert twin.zoom == 1.0 and twin.pan == (0.0, 0.0)


@pytest.mark.goods("bell_lantern")
def test_wipe_divider_is_dragged(demo: Rig) -> None:
    twin = demo.window.twin
    twin.set_mode("wipe")
    middle = QPoint(twin.width() // 2, twin.height() // 2)
    QTest.mousePress(twin, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
    QTest.mouseMove(twin, QPoint(twin.width() // 4, middle.y()))
    QTest.mouseRelease(twin, Qt.MouseButton.LeftButton)
    assert twin.wipe_at == pytest.approx(0.25, abs=0.02)


@pytest.mark.goods("bell_lantern")
def test_cancel_of_a_running_dispatch_leaves_nothing(demo: Rig, tmp_path: Path) -> None:
    s = demo.session
    demo.window.open_desk("dispatch")
    started: list[float] = []

    def stop(title: str, share: float, text: str) -> None:
        if title.startswith("Dispatching") and not started:
            started.append(share)
            s.cancel()

    s.worker.progressed.connect(stop, Qt.ConnectionType.DirectConnection)
    s.select("bell_lantern")
    demo.window.panel("dispatch").one.click()
    demo.wait(lambda: any("Cancelled" in text for text, _ in demo.said))
    out = tmp_path / "out"
    assert not out.exists() or list(out.iterdir()) == []
    assert "bell_lantern" not in s.packages


def slowness() -> float:
    """How many times as long as usual this machine takes now, 1 at least."""
    began = time.perf_counter()
    for _ in range(LOOPS):
        pass
    return max((time.perf_counter() - began) / USUAL, 1.0)


@pytest.fixture
def turns() -> Iterator[None]:
    """The window gets its turn as often as in the application."""
    usual = sys.getswitchinterval()
    sys.setswitchinterval(TURN)
    yield
    sys.setswitchinterval(usual)


@pytest.mark.alone
@pytest.mark.goods("spring_basin", "bell_lantern")
def test_the_interface_never_stalls_while_the_basin_is_worked_on(
    turns: None, demo: Rig, tmp_path: Path
) -> None:
    s, w = demo.session, demo.window
    gaps: list[float] = []
    last = [time.perf_counter()]

    def beat() -> None:
        now = time.perf_counter()
        gaps.append(now - last[0])
        last[0] = now

    demo.get_ready()
    s.select("spring_basin")
    demo.wait(lambda: "right" in w.twin.pictures)
    slow = [slowness() for _ in range(5)]
    timer = QTimer()
    timer.setInterval(5)
    timer.timeout.connect(beat)
    timer.start()
    last[0] = time.perf_counter()
    gaps.clear()
    s.set_step("normals", angle=61.0)
    demo.settle()
    for k in range(8):
        w.twin.turn(yaw=7.0 * k)
        demo.qtbot.wait(30)
    s.jobs.dispatch(["spring_basin"], tmp_path / "out")
    demo.wait(lambda: "spring_basin" in s.logs)
    timer.stop()
    slow += [slowness() for _ in range(5)]
    assert s.logs["spring_basin"].accepted
    # One gap may be the machine's: a software driver shares its two cores with the window.
    worst = sorted(gaps)[-3:]
    allowed = DESK_STALL * sum(slow) / len(slow)
    told = f"longest gaps {[round(g, 3) for g in worst]} s of {len(gaps)}, {allowed:.3f} allowed"
    assert worst[1] < allowed, told


@pytest.mark.goods("bell_lantern", "fern_bed", "pane_wall", "mosaic_floor")
def test_all_goods_and_one_remedy_for_many(demo: Rig) -> None:
    s, view = demo.session, demo.window.ledger
    s.set_sheet("one-mesh-kit")
    demo.settle()
    for asset in s.state.goods:  # back to bare routes, so that much is open
        s.change_asset("bare", lambda a: replace(a, stops=a.stops[:1]), asset.id)
    demo.settle()
    view.all.click()
    model = view.goods_model
    line = next(i for i, (rule, _) in enumerate(model.rules) if rule == "single-mesh")
    view.goods_table.setCurrentIndex(model.index(line, 0))
    pairs = view.picked_remedies()
    assert len({a for a, _ in pairs}) >= 4 and view.apply.isVisible() and "goods" in view.apply.text()
    view.apply.click()
    demo.settle()
    assert all("join" in [x.step for x in a.stops] for a in s.state.goods if a.id in {i for i, _ in pairs})
    label = s.shipment.can_undo()  # type: ignore[union-attr]
    demo.window.menus.actions["Undo"].trigger()
    demo.settle()
    assert "goods" in label and all("join" not in [x.step for x in a.stops] for a in s.state.goods)


@pytest.mark.goods("bell_lantern", "pane_wall", "seed_cart")
def test_next_open_row_goes_from_asset_to_asset(demo: Rig) -> None:
    s, view = demo.session, demo.window.ledger
    seen = []
    for _ in range(2):
        demo.window.menus.actions["Next open row"].trigger()
        row = view.current_row()
        assert row is not None and effective(row) != "cleared"
        seen.append(s.current)
    assert set(seen) == {"bell_lantern", "seed_cart"}


@pytest.mark.goods("seed_cart")
def test_filters_search_and_places(demo: Rig) -> None:
    s, view = demo.session, demo.window.ledger
    s.select("seed_cart")
    demo.settle()
    every = len(view.model.rows)
    view.counts["cleared"].click()
    assert len(view.model.rows) == 1 and view.model.rows[0].requirement == "texture-missing"
    view.table.setCurrentIndex(view.model.index(0, 0))
    assert demo.window.twin.marks, "the place is marked in the view"
    view.counts["cleared"].click()
    view.search.setText("texture")
    assert 0 < len(view.model.rows) < every
    view.search.clear()
    view.desk.setCurrentIndex(view.desk.findData("motion"))
    view.desk.activated.emit(view.desk.currentIndex())
    assert {r.desk for r in view.model.rows} == {"motion"}


@pytest.mark.goods("spring_basin")
def test_waivers_from_the_ledger(demo: Rig) -> None:
    s, view = demo.session, demo.window.ledger
    s.select("spring_basin")
    demo.settle()
    row = demo.row("every-face")
    menu = view.menu_for(row)
    names = {a.text(): a.isEnabled() for a in menu.actions()}
    assert names["Accept with a reason …"]
    s.waive(row, "a plain cast")
    demo.settle()
    assert (
        demo.row("every-face").waived == "a plain cast"
        and s.results["spring_basin"].ledger.verdict == "cleared"
    )
    s.waive(demo.row("every-face"), "")
    demo.settle()
    assert s.results["spring_basin"].ledger.verdict == "query"


@pytest.mark.goods("pane_wall")
def test_the_at_stop_column_appears_while_an_earlier_stop_is_picked(demo: Rig) -> None:
    s, view = demo.session, demo.window.ledger
    s.select("pane_wall")
    demo.settle()
    assert "At stop" not in view.model.columns
    s.pick("arrive@1")
    demo.wait(lambda: "At stop" in view.model.columns)
    inward = next(k for k in view.model.at_stop if k.startswith("inward/"))
    assert view.model.at_stop[inward] not in ("", "0")
    s.pick(None)
    demo.wait(lambda: "At stop" not in view.model.columns)


@pytest.mark.goods("pane_wall")
def test_the_route_strip(demo: Rig) -> None:
    s, strip = demo.session, demo.window.strip
    s.select("pane_wall")
    demo.settle()
    assert [k.name for k in strip.knots] == ["Arrive", "Broken faces", "Outward"]
    middle = strip.knots[1].hit.center().toPoint()
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
    assert s.stop == "drop-broken@1"
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert s.stop == "turn-outward@1"
    QTest.mousePress(
        strip,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
        strip.knots[2].hit.center().toPoint(),
    )
    QTest.mouseMove(strip, QPoint(int(strip.knots[1].hit.left()) + 2, 36))
    QTest.mouseRelease(
        strip,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
        QPoint(int(strip.knots[1].hit.left()), 36),
    )
    assert demo.steps() == ["arrive", "turn-outward", "drop-broken"]
    assert s.asset is not None
    menu = strip.menu_for(s.asset.stops[1])
    menu.actions()[0].trigger()
    assert not s.asset.stops[1].on
    demo.settle()
    assert demo.row("inward").verdict == "query"
    strip.refresh()
    strip.menu_for(s.asset.stops[1]).actions()[1].trigger()
    assert demo.steps() == ["arrive", "drop-broken"]
    assert not strip.menu_for(s.asset.stops[0]).actions()[1].isEnabled(), "Arrive is fixed"


@pytest.mark.goods("watering_stork")
def test_many_stops_fold_by_desk_and_show_their_worst_mark(demo: Rig) -> None:
    s, strip = demo.session, demo.window.strip
    s.select("watering_stork")
    for step in (
        "turn",
        "scale",
        "weld",
        "drop-broken",
        "triangulate",
        "normals",
        "split-material",
        "drop-colours",
        "alpha",
        "resize",
        "rename",
    ):
        s.change_route("Add", lambda r, step=step: r.added(step, {}, by="person"))
    s.pick("arrive@1")
    strip.refresh()
    folds = [k for k in strip.knots if k.folded]
    assert folds and all(len({steps()[x.step].desk for x in k.stops}) == 1 for k in folds)
    QTest.mouseClick(
        strip, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, folds[0].hit.center().toPoint()
    )
    assert strip.open_desk is not None


@pytest.mark.goods("pane_wall")
def test_fit_desk_turns_wishes_into_settings(demo: Rig) -> None:
    s, fit = demo.session, demo.window.panel("fit")
    s.select("pane_wall")
    demo.settle()
    fit.chips.buttons["box-centre"].click()
    demo.settle()
    assert dict(s.asset.route.of_step("footing").values)["kind"] == "box-centre"  # type: ignore[union-attr]
    fit.scale.setText("2")
    fit.scale.editingFinished.emit()
    demo.settle()
    assert dict(s.asset.route.of_step("scale").values)["factor"] == 2.0  # type: ignore[union-attr]
    fit.scale.setText("two")
    fit.scale.editingFinished.emit()
    assert fit.scale.property("wrong") is True
    fit._quarter(1)
    demo.settle()
    assert dict(s.asset.route.of_step("turn").values)["degrees"] == (0.0, 90.0, 0.0)  # type: ignore[union-attr]
    fit._arrive(up="+Y")
    demo.settle()
    first = dict(s.asset.stops[0].values)  # type: ignore[union-attr]
    assert first["up"] == "+Y" and first["stated"] == "person" and first["faces"][1] != "Y"


@pytest.mark.goods("pane_wall")
def test_an_origin_once_found_is_kept_and_used_again(demo: Rig) -> None:
    s, fit = demo.session, demo.window.panel("fit")
    s.select("pane_wall")
    demo.settle()
    s.set_step("turn", degrees=(0.0, 180.0, 0.0))
    s.set_step("scale", factor=0.5)
    demo.settle()
    fit.name.setText("Pane works")
    fit._keep_origin()
    demo.settle()
    origin = s.origins()["pane-works"]
    assert origin.turn == (0.0, 180.0, 0.0) and origin.scale == 0.5 and origin.up == "+Z"
    assert s.asset is not None and s.asset.origin == "pane-works" and "turn" not in demo.steps()
    assert s.result is not None
    scene = s.result.at(None)
    assert scene is not None
    from customs.motion.posing.bounds import world_bounds

    box = world_bounds(scene)
    assert box is not None and box[1][1] - box[0][1] == pytest.approx(3.37 / 2, abs=0.01)


@pytest.mark.goods("fern_bed", "seed_cart")
def test_another_destination_plans_anew(demo: Rig) -> None:
    s = demo.session
    menu = demo.window.tickets.sheet_menu()
    kit = next(a for a in menu.actions() if a.text().startswith("One-mesh kit"))
    kit.trigger()
    demo.settle()
    assert s.sheet.id == "one-mesh-kit" and "join" in demo.steps()
    demo.window.menus.actions["Undo"].trigger()
    demo.window.menus.actions["Undo"].trigger()
    demo.settle()
    assert s.sheet.id == "metre-yup-pbr"
    origin = demo.window.tickets.origin_menu()
    next(a for a in origin.actions() if a.text() == "Inch · Z up").trigger()
    demo.settle()
    assert s.asset is not None and s.asset.origin == "inch-zup"


@pytest.mark.goods("watering_stork")
def test_a_sheet_is_copied_edited_and_used(demo: Rig) -> None:
    editor = demo.window.tickets.edit_sheet("metre-yup-pbr")
    demo.qtbot.addWidget(editor)
    assert editor.save.isEnabled()
    good = editor.text.toPlainText()
    editor.text.setPlainText(good.replace("max_edge = 2048", 'max_edge = "huge"'))
    assert (
        not editor.check()
        and "textures.max_edge" in editor.problem.text()
        and "Line 11" in editor.problem.text()
    )
    assert editor.text.extraSelections() and not editor.save.isEnabled()
    editor.text.setPlainText(good.replace("max_edge = 2048", "max_edge = 512"))
    assert editor.check()
    editor.save.click()
    demo.settle()
    assert demo.session.sheet.id == "my-metre-yup-pbr" and demo.session.sheet.textures.max_edge == 512
    assert "resize" in demo.steps()


def test_lines_of_sheet_errors() -> None:
    from customs.errors import SheetError

    text = 'id = "a"\n[textures]\nmax_edge = 1\n[mesh]\nmax_vertices = 2\n'
    assert line_of(text, SheetError("x", where="textures.max_edge")) == 2
    assert line_of(text, SheetError("x", where="mesh.max_vertices")) == 4
    assert line_of(text, SheetError("not well-formed TOML", line=2)) == 1
    assert line_of(text, SheetError("x", where="nothing.there")) == -1


def test_intake_lists_previews_and_takes(rig: Rig, goods: dict[str, Path]) -> None:
    w, s = rig.window, rig.session
    w.open_desk("intake")
    panel = w.panel("intake")
    panel.look([goods["fern_bed"].parents[1]])
    rig.wait(lambda: panel.work.browsed.counts()["model"] > 12)
    panel.page.search.setText("fern gltf")
    rig.wait(lambda: panel.page.model.files() == 1)
    panel.page.go_to(str(goods["fern_bed"]))
    rig.wait(lambda: panel.preview.shown is not None and "3 meshes" in panel.preview.shown.said)
    QTest.keyClick(panel.page.view, Qt.Key.Key_Space)
    rig.wait(lambda: panel.take_button.isEnabled())
    panel.origin.setCurrentIndex(panel.origin.findData("metre-yup"))
    panel.take_button.click()
    rig.wait(lambda: s.asset is not None)
    rig.settle()
    assert s.asset is not None and s.asset.name == "Fern bed" and s.state.last_origin == "metre-yup"
    panel.slip.author.setText("the gardener")
    panel.slip.author.editingFinished.emit()
    panel.slip.use.setCurrentIndex(panel.slip.use.findData("study"))
    panel.slip.use.activated.emit(panel.slip.use.currentIndex())
    rig.settle()
    assert s.asset.author == "the gardener" and rig.row("rights").verdict == "held"


def test_bad_files_are_held_and_said_and_the_rest_goes_on(
    rig: Rig, goods: dict[str, Path], tmp_path: Path
) -> None:
    bad = tmp_path / "bad.glb"
    bad.write_bytes(goods["watering_stork"].read_bytes()[:5000])
    drop(rig, bad, goods["fern_bed"])
    rig.wait(lambda: len(rig.session.state.goods) == 2)
    rig.settle()
    verdicts = {a.id: rig.session.results[a.id].ledger.verdict for a in rig.session.state.goods}
    assert verdicts["bad"] == "held" and verdicts["fern_bed"] in ("cleared", "query")
    rig.session.select("bad")
    assert "cut off" in rig.session.results["bad"].ledger.rows[0].note
    rig.window.twin.grab()


def test_dispatch_all_that_are_cleared_and_its_pages(demo: Rig, tmp_path: Path) -> None:
    w, s = demo.window, demo.session
    w.open_desk("dispatch")
    assert w.panel("dispatch").marks["held"][1].text() == "2 held"  # type: ignore[attr-defined]
    s.select("seed_cart")
    assert not w.panel("dispatch").one.isEnabled() and "Missing textures" in w.panel("dispatch").why.text()
    w.panel("dispatch").every.click()
    # The mosaic floor has a query: its file says one way of its normal map, the map another.
    demo.wait(lambda: len(s.logs) == 8)
    people = {"gardener", "hedgehog", "lamplighter", "moss_keeper", "house_warden"}
    assert {p.name for p in (tmp_path / "out").iterdir()} == {
        "watering_stork",
        "fern_bed",
        "pane_wall",
    } | people
    assert all(log.accepted for log in s.logs.values())
    s.select("fern_bed")
    w.panel("dispatch").refresh_pages()
    demo.wait(lambda: w.panel("dispatch").package.tree.topLevelItemCount() == 1)
    assert w.panel("dispatch").names.table.rowCount() > 5
    w.deck.open("Docket")
    assert "fern_bed" in w.panel("dispatch").docket.page.toPlainText()
    before = sorted((p, p.stat().st_mtime_ns) for p in (tmp_path / "out").rglob("*"))
    w.panel("dispatch").one.click()
    demo.wait(lambda: any("nothing was written" in text for text, _ in demo.said))
    assert sorted((p, p.stat().st_mtime_ns) for p in (tmp_path / "out").rglob("*")) == before
    s.change_asset("Author", lambda a: replace(a, author="the lamplighter"))
    demo.settle()
    w.panel("dispatch").one.click()
    demo.wait(lambda: any("already" in text for text, _ in demo.said))
    w.panel("dispatch").replace.setChecked(True)
    w.panel("dispatch").one.click()
    demo.wait(lambda: s.worker.waiting == 0)


@pytest.mark.goods("bell_lantern", "fern_bed")
@pytest.mark.parametrize("mistake", ["texture", "name", "number", "cut"])
def test_mistakes_are_tried_on_a_copy(demo: Rig, tmp_path: Path, mistake: str) -> None:
    w, s = demo.window, demo.session
    page = w.panel("landing").mistakes
    page.try_some([mistake])
    assert page.answers[mistake] == "dispatch first"
    s.select("bell_lantern")
    s.jobs.dispatch(["bell_lantern"], tmp_path / "out")
    demo.wait(lambda: "bell_lantern" in s.logs)
    w.open_desk("landing")
    page.try_some([mistake])
    demo.wait(lambda: page.answers[mistake].startswith("refused"))
    assert s.logs["bell_lantern"].accepted
    assert w.panel("landing").log_page.table.rowCount() == len(s.logs["bell_lantern"].lines)


@pytest.mark.goods("watering_stork", "bell_lantern", "seed_cart")
def test_every_desk_at_every_size(demo: Rig) -> None:
    w = demo.window
    for width, height in ((1024, 700), (1280, 800), (2560, 1440)):
        w.resize(width, height)
        wanted = theme.span(PANEL_WIDTH, WIDER)
        demo.wait(lambda wanted=wanted: w.panels.maximumWidth() >= wanted)
        for id_ in DESKS.all():
            w.open_desk(id_)
            demo.qtbot.wait(10)
            demo.wait(
                lambda width=width: w.minimumSizeHint().width() <= width
            )  # layouts follow a resize a little later
            assert w.twin.height() >= 200 and w.deck.height() > 100
            assert w.bar.x() >= 0 and w.bar.x() + w.bar.width() <= w.twin.width()


def test_shortcuts_are_listed_and_none_is_twice(rig: Rig) -> None:
    listed = rig.window.shortcuts()
    keys = [k for _, k in listed]
    assert len(listed) > 25 and len(set(keys)) == len(keys)
    assert all(not QKeySequence(k).isEmpty() for k in keys)
    dialog = rig.window.helping.show_shortcuts()
    assert not dialog.isModal()
    dialog.close()
    rig.window.helping.show_about().close()


@pytest.mark.goods("bell_lantern")
def test_a_second_window_reads_only(demo: Rig, qtbot) -> None:  # type: ignore[no-untyped-def]
    other = Rig(qtbot)
    assert demo.session.shipment is not None
    other.session.open(demo.session.shipment.path)
    assert "reading only" in other.window.menus.kept.text() and any(
        "reading only" in t for t, _ in other.said
    )
    assert not other.session.change_asset("x", lambda a: replace(a, name="no"))
    other.window.close()


def test_a_window_closed_at_once_begins_no_painter(qtbot) -> None:  # type: ignore[no-untyped-def]
    before = threading.active_count()
    made = Rig(qtbot)
    made.window.close()
    for _ in range(3):
        qtbot.wait(20)
    made.session.painter.begin()
    assert threading.active_count() <= before


@pytest.mark.goods("bell_lantern")
def test_what_was_decided_is_there_at_the_next_start(demo: Rig) -> None:
    s = demo.session
    s.set_step("scale", factor=3.0)
    assert s.shipment is not None
    path = s.shipment.path
    demo.window.close()
    ship = Shipment(path)
    assert any(x.step == "scale" for x in ship.state.goods[0].stops) and ship.can_undo()
    ship.close()


def test_without_graphics_the_window_still_works(
    qtbot, monkeypatch: pytest.MonkeyPatch, goods: dict[str, Path]
) -> None:  # type: ignore[no-untyped-def]
    from customs.errors import ToolError

    def none() -> None:
        raise ToolError("no OpenGL here", "a driver", "Install one.")

    monkeypatch.setattr("customs_desktop.painter.renderers.Renderer", none)
    rig = Rig(qtbot)
    drop(rig, goods["fern_bed"])
    rig.wait(lambda: rig.session.asset is not None)
    rig.settle()
    assert "no OpenGL" in rig.window.twin.problem
    assert not rig.window.grab().isNull()
    rig.window.close()


def test_empty_states_say_what_to_do(rig: Rig) -> None:
    w = rig.window
    assert w.goods.empty.isVisible() and "Drop" in w.goods.empty.text()
    for id_ in DESKS.all():
        w.open_desk(id_)
    assert not w.grab().isNull()
    assert w.panel("landing").word.text() == "Nothing landed" and not w.panel("dispatch").one.isEnabled()


@pytest.mark.goods("bell_lantern")
def test_evening_paper_and_back(demo: Rig) -> None:
    w = demo.window
    day = w.grab().toImage().pixelColor(600, 60)
    w.set_paper("evening")
    demo.qtbot.wait(50)
    assert w.grab().toImage().pixelColor(600, 60).lightness() < day.lightness()
    w.set_paper("day")


@pytest.mark.goods("watering_stork", "bell_lantern", "seed_cart", "potting_bench", "gardener")
def test_goods_search_and_removal(demo: Rig) -> None:
    w, s = demo.window, demo.session
    w.goods.search.setText("held")
    assert [a.id for a in w.goods.model.shown] == ["seed_cart", "potting_bench"]
    w.goods.search.setText("rigged")
    assert [a.id for a in w.goods.model.shown][:2] == ["watering_stork", "gardener"]
    w.goods.search.clear()
    s.edit("out", lambda state: state.without("watering_stork"))
    demo.settle()
    assert s.current == "bell_lantern" and "watering_stork" not in s.results


@pytest.mark.goods("watering_stork")
def test_every_button_has_a_name_and_every_field_too(demo: Rig) -> None:
    for widget in demo.window.findChildren(QPushButton):
        assert widget.text() or widget.toolTip() or widget.accessibleName(), widget.objectName()
    for field in demo.window.findChildren(QLineEdit):
        inner = type(field.parent()).__name__ in ("QComboBox", "QAbstractSpinBox")
        assert inner or field.accessibleName() or field.placeholderText()


def test_failures_are_words() -> None:
    assert "unforeseen" in explain(ValueError("x")) and "Traceback" not in explain(ValueError("x"))
