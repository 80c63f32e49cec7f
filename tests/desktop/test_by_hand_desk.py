"""The sections by hand in the real window: pointing, lasso, box, plane, soft move with handles, all undone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from customs.geometry.counts import counts
from customs.motion.posing.pose import posed_scene_points
from customs.picture.camera import project
from customs.shipment.state import Asset
from customs.work.mixing import standing_of
from customs_desktop.desks.fit.sections import ByHand
from customs_desktop.widgets.basics import show_choice
from tests.desktop.conftest import Rig

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def ready(demo: Rig, id_: str) -> ByHand:
    """The sections, with the asset's pictures there."""
    demo.session.select(id_)
    demo.window.open_desk("fit")
    demo.settle()
    demo.window.twin.set_figure(False)
    demo.wait(lambda: "right" in demo.window.twin.pictures and demo.session.painter.idle)
    return demo.window.panel("fit").by_hand  # type: ignore[attr-defined,no-any-return]


def spots(demo: Rig, points: np.ndarray) -> list[QPoint]:
    """Where points (N, 3) are in the right half."""
    twin = demo.window.twin
    rect = twin.areas()["right"]
    flat = project(points, twin.pictures["right"].orbit, int(rect.width()), int(rect.height()))
    return [QPoint(int(x + rect.x()), int(y + rect.y())) for x, y in flat]


def triangles(demo: Rig) -> int:
    assert demo.session.result is not None
    scene = demo.session.result.at(None)
    assert scene is not None
    return counts(scene)["triangles"]


def draw(demo: Rig, ring: list[QPoint]) -> None:
    """A line drawn in the view."""
    twin = demo.window.twin
    QTest.mousePress(twin, LEFT, PLAIN, ring[0])
    for at in ring[1:]:
        QTest.mouseMove(twin, at)
    QTest.mouseRelease(twin, LEFT, PLAIN, ring[-1])


@pytest.mark.goods("hedgehog")
def test_faces_are_pointed_at_drawn_round_and_taken_away(demo: Rig) -> None:
    hand, twin, s = ready(demo, "hedgehog"), demo.window.twin, demo.session
    before = triangles(demo)
    chooser = hand.work.chooser
    assert chooser is not None and not hand.choose.away.isEnabled()
    hand.choose.pick.click()
    body = max(chooser.whole.parts, key=lambda p: np.ptp(p.points, axis=0).prod())
    middle = spots(demo, chooser.whole.points.mean(axis=0)[None])[0]
    QTest.mouseClick(twin, LEFT, PLAIN, middle)
    demo.wait(lambda: hand.work.count)
    assert "face" in hand.choose.count.text() and hand.choose.hangs.text() and twin.marks
    whole = hand.work.count
    for unit, most in (("face", 1), ("island", whole), ("material", before)):
        hand.choose.units.buttons[unit].click()
        QTest.mouseClick(twin, LEFT, PLAIN, middle)
        demo.wait(lambda: hand.work.chooser is not None)
        demo.qtbot.waitUntil(lambda most=most: 0 < hand.work.count <= most, timeout=20_000)
    hand.choose.pick.click()
    # A line round the upper half.
    hand.choose.lasso.click()
    low, high = body.points.min(axis=0), body.points.max(axis=0)
    flat = np.array([(p.x(), p.y()) for p in spots(demo, chooser.whole.points)])
    top, bottom = flat[:, 1].min() - 4, flat[:, 1].min() + 0.35 * np.ptp(flat[:, 1])
    left, right = flat[:, 0].min() - 4, flat[:, 0].max() + 4
    draw(
        demo,
        [QPoint(int(x), int(y)) for x, y in ((left, top), (right, top), (right, bottom), (left, bottom))],
    )
    assert not hand.choose.lasso.isChecked() and 0 < hand.work.count < before
    some = hand.work.count
    hand.work.chooser.grow(1)  # type: ignore[union-attr]
    assert hand.work.count > some
    hand.work.chooser.grow(-1)  # type: ignore[union-attr]
    hand.work.chooser.invert()  # type: ignore[union-attr]
    hand.work.chooser.invert()  # type: ignore[union-attr]
    count = hand.work.count
    hand.choose.close_holes.setChecked(False)
    hand.choose.away.click()
    demo.settle()
    assert demo.steps()[-1] == "take-away" and triangles(demo) == before - count and not hand.work.count
    s.undo()
    demo.settle()
    assert "take-away" not in demo.steps() and triangles(demo) == before
    assert (low < high).all()


@pytest.mark.goods("hedgehog")
def test_a_plane_and_a_box_choose_and_cut(demo: Rig) -> None:
    hand, s = ready(demo, "hedgehog"), demo.session
    before, cut = triangles(demo), hand.cut
    for field, value in zip((*cut.first, *cut.second), (0, 0.12, 0, 0, 1, 0)):
        field.setText(str(value))
    hand.work.more = False
    cut._choose()
    above = hand.work.count
    assert 0 < above < before
    cut.shape.buttons["box"].click()
    cut._around()
    assert cut.second[1].value() is not None and cut.names[0].text() == "One corner (m)"
    cut._choose()
    assert hand.work.count >= above * 0.5
    cut.shape.buttons["plane"].click()
    for field, value in zip((*cut.first, *cut.second), (0, 0.12, 0, 0, 1, 0)):
        field.setText(str(value))
    cut._cut()
    demo.settle()
    scene = s.result.at(None)  # type: ignore[union-attr]
    assert demo.steps()[-1] == "cut-off" and scene is not None
    assert s.result.passed[-1].error is None  # type: ignore[union-attr]
    cut.second[1].setText("0")
    cut._cut()
    assert any("direction" in text for text, _ in demo.said)
    s.undo()
    demo.settle()
    assert triangles(demo) == before


@pytest.mark.goods("hedgehog")
def test_a_soft_move_is_dragged_typed_kept_and_undone(demo: Rig) -> None:
    hand, twin, s = ready(demo, "hedgehog"), demo.window.twin, demo.session
    soft, chooser = hand.soft, hand.work.chooser
    assert chooser is not None
    soft.take.click()
    assert not soft.take.isChecked() and any("Choose faces first" in text for text, _ in demo.said)
    low, high = chooser.whole.points.min(axis=0), chooser.whole.points.max(axis=0)
    chooser.box((low[0], high[1] - 0.05, low[2]), high)
    hand.work.show()
    soft.take.click()
    demo.wait(lambda: twin.handles is not None)
    demo.wait(lambda: s.painter.idle)
    under = twin._under()
    assert under is not None
    start = twin.handles.ends(*under)[1].toPoint()
    QTest.mousePress(twin, LEFT, PLAIN, start)
    QTest.mouseMove(twin, start - QPoint(0, 30))
    assert soft.move_by[1].value() > 0 and "right" in twin.drawn  # type: ignore[operator]
    QTest.mouseRelease(twin, LEFT, PLAIN, start - QPoint(0, 30))
    soft.move_by[1].setText("0.04")
    soft.move_by[1]._finish()
    soft.reach.setText("0.03")
    soft.reach._finish()
    demo.wait(lambda: soft.hold is not None and soft.hold.of[1] == 0.03)
    assert twin.handles.move[1] == pytest.approx(0.04)
    held = twin.drawn["right"]
    demo.wait(lambda: s.painter.idle)
    soft.apply.click()
    demo.settle()
    assert demo.steps()[-1] == "soft-move" and twin.handles is None and not twin.drawn
    after = s.result.at(None)  # type: ignore[union-attr]
    assert after is not None
    for a, b in zip(held.meshes, after.meshes):
        for p, q in zip(a.primitives, b.primitives):
            assert np.array_equal(p.positions, q.positions), "what was seen is what is kept"
    s.undo()
    demo.settle()
    assert "soft-move" not in demo.steps()
    hand.work.chooser.box(low, high)  # type: ignore[union-attr]
    hand.work.show()
    demo.window.open_desk("surface")
    assert not twin.marks and twin.handles is None
    assert twin.rect().contains(QPointF(start).toPoint())


@pytest.mark.goods("hedgehog", "house_warden")
def test_parts_of_other_goods_join_move_and_are_taken_anew(demo: Rig) -> None:
    ready(demo, "house_warden")
    s, twin = demo.session, demo.window.twin
    tools = demo.window.panel("fit").by_hand.joining  # type: ignore[attr-defined]
    before = triangles(demo)
    assert tools.said() == "" and tools.stop is None
    demo.window.panel("fit").unfold("FROM OTHER GOODS")
    demo.wait(tools.isVisible)
    show_choice(tools.other, "hedgehog")
    tools._chosen()
    assert tools.binds.buttons["surface"].isChecked() and tools.parts.count() == 9
    demo.wait(lambda: "beside" in twin.pictures and s.painter.idle)
    # Pointed at in the small picture, a part is let go; pointed at again, it is chosen.
    small = twin.areas()["beside"].center().toPoint()
    QTest.mouseClick(twin, LEFT, PLAIN, small)
    demo.wait(lambda: len(tools.chosen_parts()) == 8)
    QTest.mouseClick(twin, LEFT, PLAIN, small)
    demo.wait(lambda: len(tools.chosen_parts()) == 9)
    for k in range(1, 9):
        tools.parts.item(k).setCheckState(Qt.CheckState.Unchecked)
    tools.binds.buttons["rigid"].click()
    show_choice(tools.joint, "Head1")
    tools.move_by[1].setText("1.6")
    tools.join.click()
    demo.wait(lambda: "from-goods" in demo.steps())
    demo.settle()
    assert (
        demo.steps()[-1] == "from-goods" and triangles(demo) > before and tools.said() == "Clockwork hedgehog"
    )
    scene = s.result.at(None)  # type: ignore[union-attr]
    assert scene is not None and len(scene.meshes) == 2 and scene.meshes[1].primitives[0].joints is not None
    high = posed_scene_points(scene)[-1][:, 1].min()
    tools.refresh()
    tools.move_by[1].setText("1.7")
    tools.move_by[1]._finish()
    demo.settle()
    assert posed_scene_points(s.result.at(None))[-1][:, 1].min() == pytest.approx(high + 0.1, abs=1e-5)  # type: ignore[union-attr,arg-type]
    # Its source goes on: that is said, and nothing changes by itself.
    count = triangles(demo)
    s.change_route("Scale", lambda r: r.set("scale", {"factor": 2.0}), "hedgehog")
    demo.settle()
    stop = tools.stop
    assert stop is not None and standing_of(stop, s.state) == "changed since" and triangles(demo) == count
    wide = np.ptp(posed_scene_points(s.result.at(None))[-1], axis=0)  # type: ignore[union-attr,arg-type]
    tools._anew(stop)
    demo.wait(lambda: standing_of(tools.stop, s.state) == "as it was")
    demo.settle()
    assert np.ptp(posed_scene_points(s.result.at(None))[-1], axis=0) == pytest.approx(wide * 2, rel=1e-4)  # type: ignore[union-attr,arg-type]
    assert standing_of(tools.stop, s.state) == "as it was" and len(s.result.at(None).meshes) == 2  # type: ignore[union-attr,arg-type]
    while "from-goods" in demo.steps():
        s.undo()
    demo.settle()
    assert triangles(demo) == before and twin.beside is None


@pytest.mark.goods("hedgehog")
def test_what_is_chosen_becomes_an_asset_of_its_own(demo: Rig) -> None:
    hand, s = ready(demo, "hedgehog"), demo.session
    s.change_asset("Licence", lambda a: replace(a, licence="free with the glasshouse"))
    demo.settle()
    chooser = hand.work.chooser
    assert chooser is not None
    chooser.pick(chooser.whole.parts[0].names, 0, "part")
    hand.work.show()
    count = hand.work.count
    hand.choose.own.click()
    demo.wait(lambda: len(s.state.goods) == 2)
    demo.settle()
    new = s.asset
    assert new is not None and new.id == "hedgehog_1" and new.licence == "free with the glasshouse"
    assert triangles(demo) == count


@pytest.mark.goods("hedgehog")
def test_figures_are_taken_in_the_view_and_kept(demo: Rig) -> None:
    hand, twin, s = ready(demo, "hedgehog"), demo.window.twin, demo.session
    tools, chooser = hand.measuring, hand.work.chooser
    assert chooser is not None
    tools.corners.setChecked(False)
    tools.on.click()
    middle = spots(demo, chooser.whole.points.mean(axis=0)[None])[0]

    def point(kind: str, at: list[QPoint]) -> None:
        tools.kinds.buttons[kind].click()
        count = len(s.asset.notes)  # type: ignore[union-attr]
        for k, spot in enumerate(at):
            QTest.mouseClick(twin, LEFT, PLAIN, spot)
            demo.wait(lambda k=k: len(s.asset.notes) > count or len(tools.places) > k)  # type: ignore[union-attr]
        demo.wait(lambda: len(s.asset.notes) == count + 1)  # type: ignore[union-attr]
        demo.settle()
        demo.wait(lambda: s.painter.idle)

    around = [middle, middle + QPoint(18, 0), middle + QPoint(0, 14)]
    point("distance", around[:2])
    point("angle", around)
    point("edge", around[:1])
    point("thickness", around[:1])
    notes = s.asset.notes  # type: ignore[union-attr]
    assert [n.kind for n in notes] == ["distance", "angle", "edge", "thickness"] and len(twin.lines) == 4
    assert (
        notes[0].value == pytest.approx(np.linalg.norm(np.subtract(*notes[0].points)))
        and 0 < notes[0].value < 0.1
    )
    assert 5 < notes[1].value < 175 and 0 < notes[3].value < 0.5 and tools.said() == "4 kept"
    for n in notes[:2]:
        flat = np.array([(p.x(), p.y()) for p in spots(demo, np.array(n.points))])
        assert np.abs(flat - [(p.x(), p.y()) for p in around[: len(flat)]]).max() <= 1.5, (
            "where it was pointed at"
        )
    tools._change(0, True)
    assert s.asset.notes[0].told and "notes" in s.asset.as_dict()  # type: ignore[union-attr]
    assert Asset.from_dict(s.asset.as_dict()).notes == s.asset.notes  # type: ignore[union-attr]
    tools._drop(3)
    s.undo()
    assert len(s.asset.notes) == 4  # type: ignore[union-attr]
    demo.window.open_desk("surface")
    assert not twin.lines and not tools.on.isChecked()
