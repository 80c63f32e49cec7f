"""The window's smaller parts on a small shipment: menus, lists, views and their hands, files chosen, what
cannot be done.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QAction, QDragEnterEvent, QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu

from customs.conventions.origin import Origin
from customs.errors import CustomsError
from customs.route.route import Stop
from customs.route.step import steps
from customs.scene.key import Key
from customs_desktop.desk import DESKS
from customs_desktop.desks.surface.role_model import ALPHA, MIME
from customs_desktop.views.view_bar import SHADINGS
from tests.assets import cube, saved, scene_of
from tests.desktop.conftest import CHEQUER, Rig
from tests.desktop.test_hands import LEFT, RIGHT, values, wheel

NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def menus(monkeypatch: pytest.MonkeyPatch) -> Iterator[list[QMenu]]:
    """Menus that would have opened, the last one last; `pick` may be given to choose in them."""
    opened: list[QMenu] = []

    def record(menu: QMenu, *_: object) -> QAction | None:
        opened.append(menu)
        wanted = getattr(menus, "wanted", "")
        return next((a for a in menu.actions() if a.text() == wanted), None)

    monkeypatch.setattr(QMenu, "exec", record)
    monkeypatch.setattr(QMenu, "popup", record)
    yield opened


def names(menu: QMenu) -> list[str]:
    """What a menu offers."""
    return [a.text() for a in menu.actions() if not a.isSeparator()]


def drag(widget, start: QPoint, *way: QPoint, button: Qt.MouseButton = LEFT) -> None:  # type: ignore[no-untyped-def]
    """A button held down along a way."""
    QTest.mousePress(widget, button, NONE, start)
    for place in way:
        QTest.mouseMove(widget, place)
    QTest.mouseRelease(widget, button, NONE, way[-1])


# -- menus


def test_menus_of_the_view_the_route_and_the_ledger(small: Rig, menus: list[QMenu]) -> None:
    w, s = small.window, small.session
    w.bar._menu()
    assert names(menus[-1]) == [name for _, name in SHADINGS]
    assert [a.isChecked() for a in menus[-1].actions()].count(True) == 1
    next(a for a in menus[-1].actions() if a.text() == "UV checker").trigger()
    assert w.twin.look.shading == "checker"
    w.panel("fit")._add_menu()
    assert names(menus[-1]) == [x.name for x in steps().values() if not x.fixed]
    assert all(a.toolTip() for a in menus[-1].actions()), "each says what it is for"
    next(a for a in menus[-1].actions() if a.text() == steps()["turn"].name).trigger()
    small.settle()
    assert s.stop == "turn@1" and "turn" in small.steps()
    stop = s.asset.route.of_step("turn")  # type: ignore[union-attr]
    menu = w.strip.menu_for(stop)  # type: ignore[arg-type]
    assert names(menu) == ["Switch off", "Remove", "Fold by desk", "What is this?"]
    menu.actions()[0].trigger()
    assert names(w.strip.menu_for(s.asset.route.of_step("turn")))[0] == "Switch on"  # type: ignore[union-attr, arg-type]
    menu.actions()[1].trigger()
    small.settle()
    assert "turn" not in small.steps()
    first = w.strip.menu_for(s.asset.stops[0])  # type: ignore[union-attr]
    assert [a.isEnabled() for a in first.actions()] == [False, False, True, True], "Arrive stays where it is"
    menu.actions()[2].trigger()
    assert w.strip.open_desk is None


def test_a_row_of_the_ledger_offers_what_can_be_done_with_it(
    small: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    w, s = small.window, small.session
    row = next((r for r in s.result.ledger.rows if r.verdict == "query"), None)  # type: ignore[union-attr]
    if row is None:
        s.set_step("turn", degrees=(10.0, 0.0, 0.0))
        small.settle()
        row = next(r for r in s.result.ledger.rows if r.verdict != "held")  # type: ignore[union-attr]
    menu = w.ledger.menu_for(row)
    offered = {a.text(): a for a in menu.actions()}
    assert {"Show the place", "Copy cell"} <= set(offered)
    offered["Copy cell"].trigger()
    board = QGuiApplication.clipboard()
    assert board is not None and board.text() == row.delivering
    if row.verdict == "query":
        monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("  ", True))
        offered["Accept with a reason …"].trigger()
        assert not small.row(row.requirement).waived, "a reason is more than nothing"
        monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("as the gardener wants it", True))
        offered["Accept with a reason …"].trigger()
        small.settle()
        waived = small.row(row.requirement)
        assert waived.waived == "as the gardener wants it"
        back = {a.text(): a for a in w.ledger.menu_for(waived).actions()}
        back["Take the waiver back"].trigger()
        small.settle()
        assert not small.row(row.requirement).waived


def test_goods_are_planned_and_taken_out_from_their_list(small: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    w, s = small.window, small.session
    goods = w.goods
    at = goods.list.visualRect(goods.model.index(0)).center()
    assert goods.model.data(goods.model.index(0)) == s.state.goods[0].name
    tip = goods.model.data(goods.model.index(0), Qt.ItemDataRole.ToolTipRole)
    assert s.state.goods[0].name in str(tip) and "1 mesh" in str(tip)
    assert goods.model.data(goods.model.index(7)) is None
    small.wait(lambda: len(goods.model.pictures) == 2)
    w.grab()
    s.change_route(
        "Bare", lambda r: r.removed(r.stops[-1].id) if len(r.stops) > 1 else r, s.state.goods[0].id
    )
    choose: list[str] = ["Plan route"]
    monkeypatch.setattr(
        QMenu, "exec", lambda menu, *_: next(a for a in menu.actions() if a.text() == choose[0])
    )
    before = s.state.goods[0]
    goods.hands.menu(at)
    small.settle()
    assert s.state.goods[0].id == before.id
    choose[0] = "Take out of the shipment"
    goods.hands.menu(at)
    small.settle()
    assert [a.id for a in s.state.goods] == ["bar"] or [a.id for a in s.state.goods] == ["block"]
    goods.hands.menu(QPoint(5, 5000))
    s.undo()
    small.settle()
    assert len(s.state.goods) == 2


# -- files


def test_files_and_folders_are_chosen(small: Rig, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    w, s = small.window, small.session
    model = tmp_path / "goods" / "block.glb"
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(model)], ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "goods"))
    w.open_desk("intake")
    panel = w.panel("intake")
    panel._take()
    assert not panel.take_button.isEnabled() and len(s.state.goods) == 2
    panel._files()
    small.wait(lambda: panel.preview.shown is not None)
    assert (
        panel.preview.shown.said.endswith("1 mesh, 1 material, 1 texture") and panel._where_said() == "1 file"
    )
    panel._folder()
    small.wait(lambda: panel.work.browsed.counts()["model"] == 2)
    (tmp_path / "goods" / "broken.glb").write_bytes(b"glTF\x02\0\0\0nothing")
    panel.look([tmp_path / "goods" / "broken.glb"])
    small.wait(lambda: panel.work.browsed.counts()["model"] == 3)
    panel.page.go_to(str(tmp_path / "goods" / "broken.glb"))
    small.wait(lambda: "broken.glb" in panel.preview.shown.problem)
    w.shipments.take_files()
    small.wait(lambda: len(s.state.goods) == 3)
    small.settle()
    assert [a.id for a in s.state.goods].count("block") == 1, "a second one of the name gets its own id"


def test_shipments_are_made_opened_and_dropped(
    small: Rig, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    w, s = small.window, small.session
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "second"), ""))
    w.shipments.new()
    small.settle()
    assert s.shipment is not None and s.shipment.path.name == "second.customs" and s.state.goods == ()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "small.customs"), ""))
    w.shipments.choose()
    small.settle()
    assert len(s.state.goods) == 2
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "second.customs"))])
    enter = QDragEnterEvent(QPoint(9, 9), Qt.DropAction.CopyAction, data, LEFT, NONE)
    enter.ignore()
    w.dragEnterEvent(enter)
    assert enter.isAccepted()
    w.shipments.drop([tmp_path / "second.customs"])
    small.settle()
    assert s.state.goods == ()
    w.shipments.drop([])
    s.open(tmp_path / "nowhere.customs")
    assert small.said[-1][1] == "held" and "nowhere.customs" in small.said[-1][0], small.said[-1]
    (tmp_path / "odd.customs").write_text("not a shipment")
    s.open(tmp_path / "odd.customs")
    assert "odd.customs" in small.said[-1][0] and s.shipment is not None


def test_what_cannot_be_kept_or_found_is_said(small: Rig, tmp_path: Path) -> None:
    s = small.session
    s.set_sheet("moon-kit")
    assert "moon-kit" in small.said[-1][0] and s.sheet.id == "metre-yup-pbr"
    s._use_sheet("moon-kit")
    assert "used meanwhile" in small.said[-1][0]
    assert not s.change_asset("Nobody", lambda a: a, "nobody")
    s.jobs.search_folder(tmp_path / "goods")
    small.wait(lambda: "Nothing in" in small.said[-1][0])
    s.jobs.dispatch(["block"], tmp_path / "out")
    small.wait(lambda: "block" in s.logs or "still being looked at" in small.said[-1][0])
    s.edit("Odd origin", lambda state: replace(state, origins={"odd": {"id": "odd", "up": "sideways"}}))
    assert "odd" not in s.origins(), "an origin that makes no sense is left out"
    s.keep_origin(Origin(id="greenhouse", title="Greenhouse", up="+Z", faces="-Y"))
    small.settle()
    assert "greenhouse" in s.origins() and s.asset.origin == "greenhouse"  # type: ignore[union-attr]
    s.cancel()
    s.looks.again()
    small.settle()
    small.window.panel("fit")._all_of_origin()
    assert "No other goods arrive from this origin" in small.said[-1][0]


def test_a_guarded_mistake_is_a_line_and_no_more(small: Rig) -> None:
    s = small.session

    def fails() -> None:
        raise CustomsError("a door that sticks", "an open one", "Push.")

    assert not s.guard(fails)
    assert "a door that sticks" in small.said[-1][0] and small.said[-1][1] == "held"
    s.fail(ValueError("odd"))
    assert small.said[-1][1] == "held" and small.said[-1][0]


# -- views


def test_hands_on_the_twin_view(small: Rig) -> None:
    twin = small.window.twin
    small.wait(lambda: "right" in twin.pictures)
    yaw, pitch = twin.yaw, twin.pitch
    drag(twin, QPoint(90, 160), QPoint(110, 160), QPoint(130, 180))
    assert twin.yaw != yaw and twin.pitch != pitch
    pan = twin.pan
    QTest.mousePress(twin, LEFT, Qt.KeyboardModifier.ShiftModifier, QPoint(90, 160))
    # QTest's moves carry no modifier, so the right button stands for the same wish.
    QTest.mouseRelease(twin, LEFT, NONE, QPoint(90, 160))
    drag(twin, QPoint(90, 160), QPoint(120, 150), button=RIGHT)
    assert twin.pan != pan
    twin.set_mode("wipe")
    x = int(twin.width() * twin.wipe_at)
    drag(twin, QPoint(x, 200), QPoint(x + 60, 200))
    assert twin.wipe_at > x / twin.width()
    twin.set_mode("ghost")
    small.wait(lambda: "right" in twin.pictures)
    twin.grab()
    twin.set_mode("twin")
    for name in ("wire", "grid", "ruler"):
        getattr(small.window.bar, name).click()
    small.window.bar.figure.click()
    assert twin.look.wire and not twin.look.grid and not twin.look.dimensions and not twin.figure


def texture_of(small: Rig):  # type: ignore[no-untyped-def]
    """The texture view with the block's texture in it."""
    w = small.window
    w.open_desk("surface")
    small.settle()
    small.wait(lambda: len(w.panel("surface").roles.model.rows) == 1)
    model = w.panel("surface").roles.model
    column = next(c for c in range(model.columnCount()) if model.role_at(c) == "base_colour")
    w.panel("surface").roles.table.setCurrentIndex(model.index(0, column))
    small.wait(lambda: w.panel("surface").view.after is not None)
    return w.panel("surface").view


def test_hands_on_a_texture(small: Rig) -> None:
    view = texture_of(small)
    view.resize(320, 320)
    assert view.after.shape[:2] == CHEQUER.shape[:2]
    middle = QPointF(view.width() / 2, view.height() / 2)
    texel = view.texel(middle)
    assert texel is not None and all(abs(t - 16) <= 1 for t in texel)
    assert view.texel(QPointF(-9, -9)) is None and view.pick_at(QPointF(-9, -9)) == ""
    picked = {view.pick_at(QPointF(view.width() / 2 + dx, view.height() / 2 - 3)) for dx in (-6, 6)}
    assert picked == {"#141414", "#dcdcdc"}, "two fields of the chequer"
    said: list[str] = []
    view.picked.connect(said.append)
    view.picking = True
    QTest.mouseClick(view, LEFT, NONE, middle.toPoint() + QPoint(6, -3))
    assert said and said[0] in picked
    view.picking = False
    wheel(view, 240)
    assert view.zoom == pytest.approx(1.44)
    before = view.middle
    drag(view, QPoint(200, 200), QPoint(180, 190))
    assert view.middle != before
    QTest.mouseDClick(view, LEFT, NONE, QPoint(160, 160))
    assert view.zoom == 1.0 and view.middle == (0.5, 0.5)
    wheel(view, -2400)
    assert view.zoom == 1.0, "never smaller than the view"
    if view.before is not None:
        split = view.split
        x = int(view.width() * split)
        drag(view, QPoint(x, 100), QPoint(x + 50, 100))
        assert view.split > split
    view.grab()


def test_the_table_of_roles_says_what_it_holds_and_takes_only_its_own(small: Rig) -> None:
    texture_of(small)
    table = small.window.panel("surface").roles
    model = table.model
    roles = [model.role_at(c) for c in range(model.columnCount())]
    heads = [
        model.headerData(c, Qt.Orientation.Horizontal, Qt.ItemDataRole.DisplayRole) for c in range(len(roles))
    ]
    assert heads[0] == "Material" and heads[roles.index(ALPHA)] == "Alpha"
    assert model.headerData(0, Qt.Orientation.Vertical, Qt.ItemDataRole.DisplayRole) is None
    colour = model.index(0, roles.index("base_colour"))
    assert model.data(colour, Qt.ItemDataRole.DisplayRole) and model.image(colour).name == "slate_c"
    assert model.data(model.index(0, 0), Qt.ItemDataRole.DisplayRole) == "slate"
    drags, drops = Qt.ItemFlag.ItemIsDragEnabled, Qt.ItemFlag.ItemIsDropEnabled
    assert model.flags(colour) & drags and not model.flags(model.index(0, 0)) & drops
    normal = model.index(0, roles.index("normal"))
    assert not model.flags(normal) & drags and model.flags(normal) & drops, (
        "an empty cell can be dropped on only"
    )
    data = model.mimeData([colour])
    assert data.hasFormat(MIME) and model.mimeTypes() == [MIME]
    moved: list[tuple[object, ...]] = []
    model.moved.connect(lambda *a: moved.append(a))
    copy = Qt.DropAction.CopyAction
    assert not model.dropMimeData(data, copy, 0, 0, colour), "onto itself is nothing"
    assert not model.dropMimeData(QMimeData(), copy, 0, 0, normal) and not model.dropMimeData(
        None, copy, 0, 0, normal
    )
    model.dropMimeData(data, copy, 0, 0, normal)
    assert moved and moved[0][:4] == (0, "base_colour", 0, "normal") and moved[0][4] is True
    small.settle()
    assert "roles" in small.steps()
    table.grab()


def test_an_edit_on_what_a_later_stop_made_is_said(small: Rig) -> None:
    texture_of(small)
    edit = small.window.panel("surface").edit
    image = small.window.panel("surface").roles.model.image(
        small.window.panel("surface").roles.table.currentIndex()
    )
    assert edit.received(image) is not None and edit.source(None) == ""
    made = replace(image, key=Key("0" * 12, "image", 77), made_from=())
    material = small.session.result.at(None).materials[0].key  # type: ignore[union-attr]
    assert not edit.use(material, "normal", made) and "made by a later stop" in small.said[-1][0]
    assert not edit.move(material, "base_colour", material, "normal", made, False)
    assert edit.use(material, "base_colour", None)
    small.settle()
    scene = small.session.result.at(None)  # type: ignore[union-attr]
    assert "base_colour" not in scene.materials[0].textures


# -- motion


def motion_of(small: Rig):  # type: ignore[no-untyped-def]
    """The Motion desk with the bar."""
    small.session.select("bar")
    small.window.open_desk("motion")
    small.settle()
    motion = small.window.panel("motion")
    small.wait(lambda: motion.bench.take is not None and "right" in small.window.twin.pictures)
    return motion


def test_time_is_played_stepped_and_kept_inside(small: Rig) -> None:
    motion = motion_of(small)
    player = small.window.player
    assert player.length == pytest.approx(1.0, abs=0.01)
    player.seek(5)
    assert player.seconds == player.length
    player.seek(-1)
    assert player.seconds == 0
    player.step(3)
    assert player.seconds == pytest.approx(0.1, abs=1e-6)
    player.step(-1)
    assert player.seconds == pytest.approx(2 / 30, abs=1e-6)
    player.loop = False
    player.speed = 40.0
    player.seek(player.length)
    player.play()
    assert player.playing and player.seconds < player.length, "from the beginning when it stands at the end"
    small.wait(lambda: not player.playing)
    assert player.seconds == player.length, "and stops there"
    player.loop = True
    player.toggle()
    small.wait(lambda: player.seconds < player.length)
    player.step(1)
    assert not player.playing, "a step stops it"
    player.show(None, 30)
    player.play()
    assert not player.playing and player.length == 0
    assert motion is not None


def test_a_joint_is_picked_in_the_view_and_in_the_list(small: Rig) -> None:
    motion = motion_of(small)
    twin, overlay = small.window.twin, motion.overlay
    areas = twin.areas()
    _, orbit, drawn, clip, seconds = twin.pictures["right"]
    flat = overlay._flat(areas["right"], orbit, drawn.scene, clip, seconds, drawn.unit)
    at = QPointF(areas["right"].x() + flat[2][0], areas["right"].y() + flat[2][1])
    assert twin.joint_under(at) == overlay.skeleton(drawn.scene).names[2]
    assert twin.joint_under(QPointF(areas["right"].x() + 2, areas["right"].y() + 2)) == ""
    QTest.mouseClick(twin, LEFT, NONE, at.toPoint())
    small.wait(lambda: overlay.joint == "bone_2")
    assert motion.joints.grab().width() > 0
    motion.pick_joint("bone_1")
    assert overlay.joint == "bone_1"
    motion.find_clips()
    small.wait(lambda: any("No rest and no repeated pose" in text for text, _ in small.said))
    overlay.scale = True
    twin.grab()


def test_frames_are_counted_at_another_rate_before_there_are_clips(small: Rig) -> None:
    motion = motion_of(small)
    motion._rate(24.0)
    small.settle()
    assert values(small, "clips").get("rate") == 24.0
    motion.keep_rows([("lean", 0.0, 12.0, str(motion.bench.take.key))], "Cut")
    small.settle()
    motion._rate(48.0)
    small.settle()
    assert [tuple(r[:3]) for r in values(small, "clips")["ranges"]] == [("lean", 0.0, 24.0)]  # type: ignore[attr-defined]
    small.session.undo()
    small.session.undo()
    small.session.undo()
    small.settle()
    assert not values(small, "clips")


# -- the desk Fit, on something small


@pytest.mark.parametrize(("wish", "step", "expected"), [
    (lambda fit: [fit._quarter(0), fit._quarter(1), fit._quarter(1)], "turn", {"degrees": (90.0, 180.0, 0.0)}),
    (lambda fit: fit._foot("box-centre"), "footing", {"kind": "box-centre"}),
    (lambda fit: fit._add("tangents"), "tangents", {}),
])  # fmt: skip
def test_wishes_at_fit_are_stops(
    small: Rig, wish: Callable[[object], object], step: str, expected: dict[str, object]
) -> None:
    wish(small.window.panel("fit"))
    small.settle()
    assert step in small.steps()
    found = values(small, step)
    assert {
        k: tuple(v) if isinstance(v, list | tuple) else v for k, v in found.items() if k in expected
    } == expected
    small.session.undo()


def test_what_was_found_out_becomes_an_origin(small: Rig) -> None:
    w, s = small.window, small.session
    fit = w.panel("fit")
    fit._quarter(1)
    small.settle()
    fit.name.setText("Fern house, upper floor")
    origin = fit.as_origin()
    assert origin is not None and origin.id == "fern-house-upper-floor" and origin.turn == (0.0, 90.0, 0.0)
    fit.name.setText("…")
    assert fit.as_origin().id == "workshop"  # type: ignore[union-attr]
    fit.name.setText("Fern house")
    fit._keep_origin()
    small.settle()
    assert s.asset.origin == "fern-house" and "turn" not in small.steps(), "not turned twice"  # type: ignore[union-attr]
    box = s.result.at(None)  # type: ignore[union-attr]
    assert box is not None and np.isfinite(box.meshes[0].primitives[0].positions).all()


def test_nothing_in_the_ledgers_head_is_cut_at_the_usual_size(small: Rig) -> None:
    """How many requirements there are, and what the search field is for, are read whole at 1280 × 800."""
    w = small.window
    w.open_desk("fit")
    small.settle()
    QTest.qWait(50)
    ledger = w.ledger
    assert ledger.about.text().endswith("requirements")
    assert ledger.about.fontMetrics().horizontalAdvance(ledger.about.text()) <= ledger.about.width()
    field = ledger.search
    hint = field.fontMetrics().horizontalAdvance(field.placeholderText())
    # The glass at the left and the edges take what is left.
    assert hint <= field.width() - 40, (hint, field.width())
    for mark in ledger.counts.values():
        assert mark.width() >= mark.minimumSizeHint().width()


def test_one_of_several_is_looked_at_again(small: Rig) -> None:
    """As when its file alone was touched: what was on its way counts no more, and another look is."""
    s = small.session
    small.settle()
    assert len(s.state.goods) > 1
    before = s.results[s.current]
    s.looks.again([s.current])
    small.wait(lambda: s.results[s.current] is not before)


def test_a_file_that_changed_is_taken_again(small: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    s, goods = small.session, small.window.goods
    asset = s.asset
    assert asset is not None
    path = Path(asset.source)
    path.write_bytes(saved(scene_of(cube(2.0), cube(1.0, 1)), path.parent.parent / "other.glb").read_bytes())
    s.looks.again()
    small.settle()
    assert small.row("source-changed").verdict == "query"
    monkeypatch.setattr(
        QMenu, "exec", lambda menu, *_: next(a for a in menu.actions() if a.text().startswith("Take again"))
    )
    goods.hands.menu(goods.list.visualRect(goods.model.index(0)).center())
    small.wait(lambda: any("taken again" in text for text, _ in small.said))
    small.settle()
    now = s.asset
    assert now is not None and now.digest != asset.digest and now.prefix == (asset.prefix or now.prefix)
    assert small.row("source-changed").verdict == "cleared"
    s.undo()
    small.settle()
    assert (
        s.asset is not None
        and s.asset.digest == asset.digest
        and small.row("source-changed").verdict == "query"
    )


def test_a_stop_of_another_edition_is_shown_held_and_taken_out(small: Rig) -> None:
    s, w = small.session, small.window
    foreign = Stop("gild@1", "gild", (("gold", 2),), True, "person", 2)
    s.change_asset("From elsewhere", lambda a: replace(a, stops=(*a.stops, foreign)))
    small.settle()
    assert small.row("step").verdict == "held" and "gild" in small.row("step").title
    for desk in DESKS.all():
        w.open_desk(desk)
    w.open_desk("fit")
    s.pick("gild@1")
    assert w.panel("fit").stop_title.text() == "gild  ·  gild@1" and names(w.strip.menu_for(foreign))[:2] == [
        "Switch off",
        "Remove",
    ]
    s.change_route("Out", lambda r: r.removed("gild@1"))
    small.settle()
    assert s.result is not None and all(r.requirement != "step" for r in s.result.ledger.rows)
