"""What hands do on the views: the mouse and the keys on route, view and band, and the longer wishes of the
desks.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QVBoxLayout, QWidget

from customs.picture.camera import project
from customs.route.step import steps
from customs_desktop.widgets.basics import empty
from tests.desktop.conftest import Rig

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


def values(demo: Rig, step: str) -> dict[str, object]:
    """Settings of a step of the selected asset."""
    assert demo.session.asset is not None
    stop = demo.session.asset.route.of_step(step)
    return dict(stop.values) if stop is not None else {}


def wheel(widget, turns: int) -> None:  # type: ignore[no-untyped-def]
    """The wheel over the middle of a widget; 120 is a notch."""
    middle = QPointF(widget.rect().center())
    event = QWheelEvent(
        middle, QPointF(widget.mapToGlobal(widget.rect().center())), QPoint(), QPoint(0, turns), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


@pytest.mark.goods("pane_wall")
def test_the_view_is_moved_brought_nearer_and_shown_whole(demo: Rig) -> None:
    twin = demo.window.twin
    demo.session.select("pane_wall")
    demo.wait(lambda: "right" in twin.pictures)
    yaw = twin.yaw
    QTest.mousePress(twin, RIGHT, Qt.KeyboardModifier.NoModifier, QPoint(100, 200))
    QTest.mouseMove(twin, QPoint(130, 180))
    QTest.mouseRelease(twin, RIGHT, Qt.KeyboardModifier.NoModifier, QPoint(130, 180))
    assert twin.pan[0] < 0 and twin.pan[1] < 0 and twin.yaw == yaw, "the right button moves and does not turn"
    wheel(twin, 240)
    assert twin.zoom == pytest.approx(1.0015**240)
    wheel(twin, -120_000)
    assert twin.zoom == 0.05, "never so far that the asset is lost"
    twin.turn(pitch=500)
    assert twin.pitch == 89, "never over the pole"
    QTest.mouseDClick(twin, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(100, 200))
    assert twin.zoom == 1.0 and twin.pan == (0.0, 0.0)


@pytest.mark.goods("pane_wall")
def test_the_route_is_walked_and_changed_by_keys(demo: Rig) -> None:
    s, strip = demo.session, demo.window.strip
    s.select("pane_wall")
    demo.settle()
    strip.setFocus()
    s.pick("turn-outward@1")
    for _ in range(4):
        QTest.keyClick(strip, Qt.Key.Key_Left)
    assert s.stop == "arrive@1", "the first stop is as far as it goes"
    for key in (Qt.Key.Key_Delete, Qt.Key.Key_Space):
        QTest.keyClick(strip, key)
    assert demo.steps() == ["arrive", "drop-broken", "turn-outward"], (
        "Arrive is neither removed nor switched off"
    )
    QTest.keyClick(strip, Qt.Key.Key_Right)
    QTest.keyClick(strip, Qt.Key.Key_Space)
    assert [x.on for x in s.asset.stops] == [True, False, True]  # type: ignore[union-attr]
    s.pick("turn-outward@1")
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    assert demo.steps() == ["arrive", "drop-broken"]
    s.undo()
    s.undo()
    demo.settle()
    assert demo.steps() == ["arrive", "drop-broken", "turn-outward"] and all(x.on for x in s.asset.stops)  # type: ignore[union-attr]


@pytest.mark.goods("pane_wall")
def test_tickets_ask_for_origin_and_destination(demo: Rig, qtbot) -> None:  # type: ignore[no-untyped-def]
    s, strip = demo.session, demo.window.strip
    s.select("pane_wall")
    demo.settle()
    strip.origin_asked.disconnect()
    strip.sheet_asked.disconnect()
    with qtbot.waitSignal(strip.origin_asked, timeout=2000):
        QTest.mouseClick(strip, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(20, 30))
    with qtbot.waitSignal(strip.sheet_asked, timeout=2000):
        QTest.mouseClick(strip, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(strip.width() - 20, 30))
    menu = demo.window.tickets.origin_menu()
    assert sum(a.isChecked() for a in menu.actions()) == 1, "the one it has is marked"
    before = s.asset.origin  # type: ignore[union-attr]
    menu.actions()[0].trigger()
    demo.settle()
    assert s.asset is not None and s.asset.origin == "" != before


@pytest.mark.goods("pane_wall", "bell_lantern")
def test_footing_by_a_point_axes_that_agree_and_a_size_from_another_asset(demo: Rig, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    s, fit = demo.session, demo.window.panel("fit")
    s.select("pane_wall")
    demo.settle()
    for said, given, point in (
        ("1 2", True, None),
        ("0.5 0 nan", True, None),
        ("1 0 2", False, None),
        ("1 0 -2", True, (1.0, 0.0, -2.0)),
    ):
        monkeypatch.setattr(QInputDialog, "getText", lambda *a, said=said, given=given, **k: (said, given))
        fit.chips.chosen.emit("point")
        demo.settle()
        assert values(demo, "footing").get("point") == point, "three numbers or nothing"
    fit._arrive(faces="+Y")
    demo.settle()
    first = dict(s.asset.stops[0].values)  # type: ignore[union-attr]
    assert first["faces"] == "+Y" and str(first["up"])[1] != "Y", (
        "up gives way, the two are never along one axis"
    )
    fit.stick.setCurrentIndex(fit.stick.findData("bell_lantern"))
    fit._yardstick("bell_lantern")
    use = next(b for b in fit.card.findChildren(type(fit.add_stop)) if b.text() == "Use")
    use.click()
    demo.settle()
    assert values(demo, "scale")["factor"] != 1.0
    fit._add("weld")
    demo.settle()
    assert (
        s.stop == "weld@1"
        and "weld" in demo.steps()
        and fit.stop_title.text().startswith(steps()["weld"].name)
    )


@pytest.mark.goods("pane_wall", "bell_lantern", "spring_basin")
def test_turn_and_scale_go_to_all_goods_of_the_origin(demo: Rig) -> None:
    s, fit = demo.session, demo.window.panel("fit")
    s.select("pane_wall")
    demo.settle()
    others = [a.id for a in s.state.goods if a.id != "pane_wall"]
    s.edit("One origin", lambda st: _all_from(st, others[:1], s.asset.origin))  # type: ignore[union-attr]
    s.set_step("turn", degrees=(0.0, 90.0, 0.0))
    demo.settle()
    fit._all_of_origin()
    demo.settle()
    turned = {a.id: a.route.of_step("turn") for a in s.state.goods}
    assert dict(turned[others[0]].values)["degrees"] == (0.0, 90.0, 0.0) and turned[others[1]] is None  # type: ignore[union-attr]
    s.select(others[1])
    demo.settle()
    fit._all_of_origin()
    assert demo.said[-1][0] == "No other goods arrive from this origin."


def _all_from(state, ids, origin):  # type: ignore[no-untyped-def]
    from dataclasses import replace

    for id_ in ids:
        state = state.with_asset(replace(state.asset(id_), origin=origin))
    return state


@pytest.mark.goods("watering_stork")
def test_the_band_by_keys_and_double_click(demo: Rig) -> None:
    s, panel = demo.session, demo.window.panel("motion")
    s.select("watering_stork")
    demo.window.open_desk("motion")
    demo.wait(lambda: panel.bench.takes is not None)
    panel.find_clips()
    demo.settle()
    band = panel.page.band
    demo.wait(lambda: len(band.strip.spans) == 3)
    box = band.span_box(1)
    for x, shape in (
        (box.left() + 1, Qt.CursorShape.SizeHorCursor),
        (box.center().x(), Qt.CursorShape.OpenHandCursor),
        (band.width() - 2, Qt.CursorShape.ArrowCursor),
    ):
        QTest.mouseMove(band, QPointF(x, box.center().y()).toPoint())
        assert band.cursor().shape() == shape
    QTest.mouseDClick(band, LEFT, Qt.KeyboardModifier.NoModifier, box.center().toPoint())
    assert band._name is not None and band._name.text() == band.strip.spans[1].name
    QTest.keyClick(band._name, Qt.Key.Key_Return)
    assert band._name is None and s.shipment is not None and "Rename" not in s.shipment.can_undo(), (
        "the same name is no change"
    )
    band.pick(0)
    band.setFocus()
    head = band.head
    QTest.keyClick(band, Qt.Key.Key_Right)
    assert band.head == pytest.approx(head + 1)
    QTest.keyClick(band, Qt.Key.Key_F2)
    assert band._name is not None
    band._name.setText("rest")
    QTest.keyClick(band._name, Qt.Key.Key_Return)
    demo.wait(lambda: band.strip.spans[0].name == "rest")
    QTest.mousePress(band, LEFT, pos=QPointF(band.x_of(30), 8).toPoint())
    QTest.mouseMove(band, QPointF(band.x_of(44), 8).toPoint())
    QTest.mouseRelease(band, LEFT, pos=QPointF(band.x_of(44), 8).toPoint())
    assert band.head == pytest.approx(44, abs=1), "the ruler is scrubbed"


def test_a_row_taken_out_before_it_was_seen_never_opens_as_a_window(qtbot) -> None:  # type: ignore[no-untyped-def]
    holder = QWidget()
    qtbot.addWidget(holder)
    box = QVBoxLayout(holder)
    holder.show()
    seen: list[QWidget] = []

    class Row(QWidget):
        def showEvent(self, event: object) -> None:
            seen.append(self)

    held = Row()  # as its own signals' targets hold it
    box.addWidget(held)  # a layout shows what it is given at the next turn of the event loop
    empty(box)
    qtbot.wait(50)
    assert box.count() == 0 and not seen and not holder.findChildren(Row)


@pytest.mark.goods("bell_lantern")
def test_what_is_clicked_in_the_view_is_said_marked_and_picked(demo: Rig) -> None:
    s, w, twin = demo.session, demo.window, demo.window.twin
    met: list[object] = []
    s.met.connect(met.append)
    w.open_desk("surface")
    s.select("bell_lantern")
    demo.settle()
    demo.wait(lambda: "right" in twin.pictures and w.panel("surface").roles.model.rows)
    right = twin.areas()["right"]
    assert twin.right is not None and twin.right.box is not None
    on_top = np.array(twin.right.box).mean(axis=0) * [1, 0, 1] + [
        0,
        twin.right.box[0][1] * 0.35 + twin.right.box[1][1] * 0.65,
        0,
    ]
    x, y = project([on_top], twin.orbits()["right"], int(right.width()), int(right.height()))[0]
    middle = QPoint(int(right.x() + x), int(right.y() + y))
    QTest.mouseClick(twin, LEFT, Qt.KeyboardModifier.NoModifier, middle)
    demo.wait(lambda: met)
    found = met[-1]
    scene = s.result.passed[-1].scene  # type: ignore[union-attr]
    assert found is not None and found.key in {n.key for n in scene.nodes}  # type: ignore[attr-defined]
    assert found.name in twin.found[1] and list(twin.marks) == [str(found.key)]  # type: ignore[attr-defined]
    panel = w.panel("surface")
    assert panel.picked_material.key == found.material.key  # type: ignore[attr-defined]
    # In the received half numbers are others, the Keys are not.
    other = next(m for m in scene.materials if m.key != found.material.key)  # type: ignore[attr-defined]
    s.met.emit(replace(found, prim=replace(found.prim, material=99), material=other))  # type: ignore[attr-defined, type-var]
    assert panel.picked_material.key == other.key and met.pop()
    QTest.mouseClick(
        twin, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(int(right.right()) - 6, int(right.top()) + 6)
    )
    demo.wait(lambda: len(met) == 2)
    assert met[-1] is None and not twin.marks and twin.found == ("", "")
    QTest.mousePress(twin, LEFT, Qt.KeyboardModifier.NoModifier, middle)
    QTest.mouseMove(twin, middle + QPoint(40, 0))
    QTest.mouseRelease(twin, LEFT, Qt.KeyboardModifier.NoModifier, middle + QPoint(40, 0))
    demo.settle()
    assert len(met) == 2, "a drag turns the camera and points at nothing"
