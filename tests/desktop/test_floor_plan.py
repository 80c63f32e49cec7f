"""The floor plan in the real window: cut by the ruler's handle, one vent kept off, marked in the view and on the plan, written and
measured, all undone.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from customs.picture.camera import project
from customs.work.grounds import key_of, place_met
from tests.assets import saved
from tests.desktop.conftest import Rig
from tests.floorplan.test_plans import TWO
from tests.grounds.test_modules import walls


@pytest.fixture
def house(rig: Rig, tmp_path: Path) -> Rig:
    """A house of two storeys taken in, the desk Grounds open on its plan."""
    rig.session.open(tmp_path / "house.customs", create=True)
    rig.session.jobs.take_in([saved(TWO, tmp_path / "goods" / "house.glb")], None)
    rig.wait(lambda: len(rig.session.state.goods) == 1)
    rig.settle()
    rig.window.open_desk("grounds")
    rig.window.deck.open("Plan")
    panel = rig.window.panel("grounds")
    rig.wait(lambda: panel.looking.ground is not None and len(panel.storeys.storeys) == 2)
    return rig


def test_cut_hidden_marked_written_and_undone(house: Rig, tmp_path: Path) -> None:
    rig, window, s = house, house.window, house.session
    panel = window.panel("grounds")
    ruler, storeys, page = panel.ruler, panel.storeys, panel.plan
    assert ruler.isVisible() and window.twin.areas()["right"].right() <= ruler.x()
    assert panel.cutting.said() == "2 found" and s.asset is not None
    judged, steps = s.result, rig.steps()

    # The handle is dragged: the view follows at once, the decision is made when it is let go.
    y = [QPoint(20, round(ruler.y_of(m))) for m in (5.0, 2.0)]
    QTest.mousePress(ruler, Qt.MouseButton.LeftButton, pos=y[0])
    assert window.twin.cut == pytest.approx(5.0, abs=0.05) and s.asset.plan.cut is None
    QTest.mouseMove(ruler, y[1])
    QTest.mouseRelease(ruler, Qt.MouseButton.LeftButton, pos=y[1])
    cut = s.asset.plan.cut
    assert cut == pytest.approx(2.0, abs=0.05) and window.twin.cut == cut
    assert panel.cutting.said() == f"2 found · cut at {cut:.2f} m"
    # No stop was made, and nothing is judged anew.
    assert rig.steps() == steps and s.results[s.current].ledger is judged.ledger

    # One thing is picked and kept off the plan.
    ground = panel.looking.ground
    table = next(t for t in range(len(ground.found.things)) if ground.found.things.names[t] == "wall_5")
    panel.looking.pick((table,))
    panel.cutting.keep_off()
    assert s.asset.plan.hidden == (str(key_of(ground, table)),)
    assert (
        window.twin.veil is not None
        and int(ground.found.things.nodes[table]) in window.twin.veil.hidden_nodes
    )

    # A mark by pressing on the plan, one by pointing in the view.
    rig.wait(lambda: page.sheet.shown is not None and page.sheet.shown.sheet.frame.cut == cut)
    assert page.sheet.shown.sheet.name == "ground floor"
    page.signs.show_chosen("exit")
    page.put.click()
    # The route has put the house on its footing, about the origin.
    floor = storeys.storeys[0].height
    at = page.sheet.place(-1.0, 2.0)
    QTest.mouseClick(page.sheet, Qt.MouseButton.LeftButton, pos=QPoint(round(at.x()), round(at.y())))
    exit_mark = s.asset.plan.marks[0]
    assert exit_mark.sign == "exit" and exit_mark.at == pytest.approx((-1.0, floor, 2.0), abs=0.05)
    page.signs.show_chosen("find")
    page.put.click()
    rig.wait(lambda: "right" in window.twin.pictures)
    rect, orbit = window.twin.areas()["right"], window.twin.orbits()["right"]
    spot = project([[-2.0, floor, -1.0]], orbit, int(rect.width()), int(rect.height()))[0]
    window.twin.ask_under(QPointF(rect.x() + spot[0], rect.y() + spot[1]))
    rig.wait(lambda: len(s.asset.plan.marks) == 2)
    find = s.asset.plan.marks[1]
    assert find.sign == "find" and not page.put.isChecked()
    # What was met lies on the line of sight through the place.
    assert project([find.at], orbit, int(rect.width()), int(rect.height()))[0] == pytest.approx(spot, abs=1.5)

    # Named in the list, it is named in the legend.
    page.marks.item(1, 2).setText("Lost key")
    assert s.asset.plan.marks[1].text == "Lost key"
    rig.wait(
        lambda: any(getattr(i, "text", "") == "Find: Lost key" for i in page.sheet.shown.sheet.page.items)
    )
    page.scale.setText("50")
    page.scale.editingFinished.emit()
    assert s.asset.plan.scale == 50
    page.shows["grid"].setChecked(False)

    # Written, and measured: ten metres of floor at 1 : 50.
    page.write_to(tmp_path / "plans")
    rig.wait(lambda: any("1 plan written" in text for text, _ in rig.said))
    with Image.open(tmp_path / "plans" / "house_plan.png") as picture:
        dots = picture.info["dpi"][0] / 25.4
        pixels = np.asarray(picture.convert("RGB")).astype(int)
    middle = pixels[round((10 + 80) * dots), round(10.5 * dots) : round(10 * dots) + round(220 * dots) - 6]
    there = np.flatnonzero(np.abs(middle - [243, 239, 228]).max(axis=1) > 12)
    assert (there[-1] - there[0] + 1) / dots * 50 / 1000 == pytest.approx(10.0, abs=0.05)

    # Every decision is undone, one by one.
    for _ in range(7):
        s.undo()
    assert s.asset.plan.said_nothing
    rig.wait(lambda: window.twin.cut is None and window.twin.veil is None)
    window.open_desk("fit")
    assert not ruler.isVisible() and window.twin.kept_free == 0


def test_the_cut_by_keys_by_storey_and_not_at_all(house: Rig) -> None:
    window, s = house.window, house.session
    panel = window.panel("grounds")
    buttons = [panel.cutting.list.itemAt(k).widget() for k in range(panel.cutting.list.count())]
    assert [b.text().split()[0] for b in buttons] == ["Ground", "Storey"]
    buttons[1].click()
    assert s.asset.plan.cut == pytest.approx(panel.storeys.storeys[1].height + 1.2, abs=0.01)
    QTest.keyClick(panel.ruler, Qt.Key.Key_Up)
    assert s.asset.plan.cut == pytest.approx(panel.storeys.storeys[1].height + 1.3, abs=0.01)
    QTest.mouseDClick(panel.ruler, Qt.MouseButton.LeftButton, pos=QPoint(10, 60))
    assert s.asset.plan.cut is None and window.twin.cut is None
    # A place seen from its edge, or of a thing that is gone, is none.
    ground = panel.looking.ground
    assert (
        place_met(
            ground,
            type("Met", (), {"key": key_of(ground, 0), "prim": TWO.meshes[0].primitives[0], "face": 99})(),
            window.twin.orbits()["right"],
            (10, 10),
            5,
            5,
        )
        is None
    )


def test_a_module_is_snapped_and_undone(rig: Rig, tmp_path: Path) -> None:
    parts = walls(
        {"wall_a": (2.0, 3, 0.2), "wall_b": (1.99, 3, 0.2)},
        [("wall_a", (0, 0, 0), 0), ("wall_a", (2, 0, 0), 0), ("wall_b", (6, 0, 0), 0)],
    )
    rig.session.open(tmp_path / "walls.customs", create=True)
    rig.session.jobs.take_in([saved(parts, tmp_path / "goods" / "walls.glb")], None)
    rig.wait(lambda: len(rig.session.state.goods) == 1)
    # Where pieces keep their own pivots.
    rig.session.set_sheet("one-file-level-kit")
    rig.settle()
    rig.window.open_desk("grounds")
    tools = rig.window.panel("grounds").modules
    rig.wait(lambda: tools._of[0] is not None and tools.session.worker.waiting == 0)
    tools.step.setText("2")
    tools.step.editingFinished.emit()
    rig.wait(lambda: [o.name for o in tools.found] == ["wall_b"])
    assert tools.said() == "2 m grid · 1 off by up to 10 mm"
    tools.show_pieces("wall_b")
    looking = tools.looking
    assert [looking.ground.found.things.names[t] for t in looking.picked] == [
        "wall_b"
    ] and rig.window.twin.marks
    before = rig.steps()
    tools.snap(("wall_b",))
    rig.settle()
    rig.wait(lambda: not tools.found)
    assert "modules" in rig.steps() and "modules" not in before
    rig.session.undo()
    rig.settle()
    rig.wait(lambda: len(tools.found) == 1)
    assert rig.steps() == before
