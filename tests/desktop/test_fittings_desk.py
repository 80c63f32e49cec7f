"""The desk Fittings in the real window: shapes by kind and by handle, levels by ruler, the basin by slider, all undone."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from customs.changes.shape_fit import fits_of
from customs.changes.shapes import shapes_of
from customs.geometry.counts import counts
from customs.picture.camera import project
from customs.scene.model import Scene
from customs_desktop.desks.fittings.panel import FittingsPanel
from customs_desktop.views.halves import seen_from
from tests.desktop.conftest import Rig

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def ready(demo: Rig, id_: str) -> FittingsPanel:
    """The desk, with the asset on its way to the plan-plot kit and its picture there."""
    demo.session.set_sheet("plan-plot-kit")
    demo.session.select(id_)
    demo.settle()
    demo.window.open_desk("fittings")
    demo.window.twin.set_figure(False)
    panel = demo.window.panel("fittings")
    assert isinstance(panel, FittingsPanel)
    demo.wait(
        lambda: panel.shapes.rows and "right" in demo.window.twin.pictures and demo.session.painter.idle
    )
    return panel


def end(demo: Rig) -> Scene:
    assert demo.session.result is not None
    scene = demo.session.result.at(None)
    assert scene is not None
    return scene


def values(demo: Rig, step: str) -> dict[str, object]:
    assert demo.session.asset is not None
    return next((dict(s.values) for s in demo.session.asset.stops if s.step == step), {})


@pytest.mark.goods("hedgehog")
def test_a_shape_is_chosen_moved_by_its_handle_and_undone(demo: Rig) -> None:
    panel, twin, s = ready(demo, "hedgehog"), demo.window.twin, demo.session
    page = panel.shapes
    assert [page.table.item(k, 0).text() for k in range(4)] == ["Hits", "Picking", "Around all", "Walking on"]  # type: ignore[union-attr]
    assert page.purpose == "hits" and page.kinds.buttons["hull"].isChecked()
    page.make("box")
    demo.settle()
    demo.wait(lambda: page.table.item(0, 1).text() == "box")  # type: ignore[union-attr]
    assert values(demo, "shapes")["hits"] == "box" and page.kinds.buttons["box"].isChecked()
    # The handle along Y is dragged upward: the box leaves the feet outside, which are marked and told.
    page.hold.click()
    assert twin.handles is not None
    rect, orbit = twin.areas()["right"], twin.pictures["right"].orbit
    up = twin.handles.ends(rect, orbit)[1]
    QTest.mousePress(twin, LEFT, PLAIN, up.toPoint())
    QTest.mouseMove(twin, (up - QPointF(0, 14)).toPoint())
    assert page.overlay.move[1] > 0
    QTest.mouseRelease(twin, LEFT, PLAIN, (up - QPointF(0, 14)).toPoint())
    demo.settle()
    demo.wait(lambda: "mm" in page.table.item(0, 3).text())  # type: ignore[union-attr]
    fit = fits_of(end(demo)).get("hits")
    assert fit is not None and fit.out > 0 and twin.marks and "out" in page.overlay.said
    assert values(demo, "shapes")["edits"]
    page.plain.click()
    demo.settle()
    demo.wait(lambda: page.table.item(0, 3).text() == "0")  # type: ignore[union-attr]
    for _ in range(3):
        s.undo()
        demo.settle()
    assert values(demo, "shapes")["hits"] == "hull" and not values(demo, "shapes").get("edits")


@pytest.mark.goods("hedgehog")
def test_sizes_are_typed_and_purposes_added(demo: Rig) -> None:
    panel = ready(demo, "hedgehog")
    page = panel.shapes
    page.sizes[0].setText("2")
    page.sizes[0].entered.emit(2.0)
    demo.settle()
    assert values(demo, "shapes")["edits"][0][4] == (2.0, 1.0, 1.0)  # type: ignore[index]
    demo.wait(lambda: page.sizes[0].value() == 1.0)
    # What a person chose is not put right behind their back: the row says so, and its remedy works.
    page.table.selectRow(2)
    page.make("box")
    demo.settle()
    rows = {r.subject: r for r in demo.session.result.ledger.rows if r.requirement == "shapes"}  # type: ignore[union-attr]
    assert values(demo, "shapes")["around"] == "box" and rows["around"].verdict == "held"
    fix = rows["around"].remedy
    assert fix is not None and not fix.sure
    demo.session.press(fix, ["hedgehog"])
    demo.settle()
    assert values(demo, "shapes")["around"] == "sphere"
    page.table.selectRow(3)
    assert not page.hold.isEnabled()
    page.make("box")
    demo.settle()
    assert {s.purpose for _, s in shapes_of(end(demo))} == {"hits", "picking", "around", "walking"}
    panel.shape_tools.fields["corners"].entered.emit(12)
    demo.settle()
    hull = next(s for _, s in shapes_of(end(demo)) if s.purpose == "hits")
    assert hull.points is not None and len(hull.points) <= 12
    panel.shape_tools.by.chosen.emit("part")
    demo.settle()
    assert panel.shape_tools.said() == "3 of 3 asked for"


@pytest.mark.goods("hedgehog")
def test_levels_are_seen_dragged_and_made_anew(demo: Rig) -> None:
    panel, twin = ready(demo, "hedgehog"), demo.window.twin
    demo.window.deck.open("LODs")
    page, ruler = panel.levels, panel.levels.ruler
    demo.wait(lambda: len(ruler.rows) == 3)
    before = [r.until for r in ruler.rows]
    x = (ruler.x_of(before[1]) + ruler.x_of(before[2])) / 2
    QTest.mouseClick(ruler, LEFT, PLAIN, QPoint(int(x), ruler.height() - 16))
    assert ruler.level == 2 and counts(twin.drawn["right"])["triangles"] == ruler.rows[2].triangles
    page.near.buttons["far"].click()
    assert twin.zoom < 1 and "Shown from" in page.told.text()
    page.near.buttons["near"].click()
    assert twin.zoom == 1
    # The border between the first two levels, dragged to the left.
    at = QPoint(round(ruler.x_of(before[0])), ruler.height() - 16)
    QTest.mousePress(ruler, LEFT, PLAIN, at)
    QTest.mouseMove(ruler, at - QPoint(40, 0))
    QTest.mouseRelease(ruler, LEFT, PLAIN, at - QPoint(40, 0))
    demo.settle()
    demo.wait(lambda: ruler.rows[0].until < before[0])
    assert end(demo).meshes[0].reach[0] < before[0] and end(demo).meshes[0].reach[-1] == before[-1]
    tools = panel.level_tools
    tools.by.buttons["triangles"].click()
    tools.levels.setText("1200 800 500")
    tools.make()
    demo.settle()
    demo.wait(lambda: len(ruler.rows) == 4)
    assert [r.triangles <= n for r, n in zip(ruler.rows[1:], (1200, 800, 500))] == [True] * 3
    assert tools.said() == "4 levels, last 10,000 m"
    for words, told in (("a b", "Numbers"), ("", "Say how coarse"), ("90 600", "smaller")):
        tools.levels.setText(words)
        tools.make()
        assert told in demo.said[-1][0]
    demo.window.open_desk("fit")
    assert twin.drawn == {} and twin.overlay is None and twin.zoom == 1


@pytest.mark.goods("spring_basin")
def test_the_basin_gets_as_coarse_as_the_slider_says(demo: Rig) -> None:
    """200,000 triangles reach the kit that takes 65,535 vertices, shown while the slider moves; and are back with one undo."""
    panel, twin, s = ready(demo, "spring_basin"), demo.window.twin, demo.session
    demo.window.deck.open("LODs")
    page = panel.levels
    assert not page.slider.isEnabled()
    page.prepare.click()
    demo.wait(lambda: page.coarsening is not None)
    page.slider.setValue(700)
    demo.wait(lambda: "right" in twin.drawn and "off" in page.strays.text())
    asked = int(page.count.value() or 0)
    assert 100 < asked < 60_000 and counts(twin.drawn["right"])["triangles"] <= asked
    page.count.setText("50000")
    page.count.entered.emit(50_000)
    demo.wait(lambda: page.strays.text().startswith(("50,", "49,")))
    page.keep.click()
    demo.settle()
    held = [r.requirement for r in s.result.ledger.open() if r.verdict == "held"]  # type: ignore[union-attr]
    assert values(demo, "simplify")["total"] == 50_000 and "vertex-limit" not in held
    assert counts(end(demo))["triangles"] <= 50_000
    s.undo()
    demo.settle()
    assert not values(demo, "simplify") and counts(end(demo))["triangles"] > 190_000
    row = next(r for r in s.result.ledger.open() if r.requirement == "vertex-limit")  # type: ignore[union-attr]
    assert row.remedy is not None and row.remedy.step == "simplify"


@pytest.mark.goods("hedgehog")
def test_landing_and_the_picture_show_what_the_kit_gets(demo: Rig, tmp_path: object) -> None:
    panel = ready(demo, "hedgehog")
    picture = demo.window.twin.grab().toImage()
    tones = np.array([picture.pixelColor(x, y).name() for x in range(330, 640, 2) for y in range(60, 320, 2)])
    assert (tones == "#0f6a6c").any(), "the picked shape is outlined in teal"
    panel.shapes.table.selectRow(2)
    assert panel.overlay.picked == "around" and panel.overlay.said == "covers all"


@pytest.mark.goods("hedgehog")
def test_a_post_is_placed_by_a_click_moved_and_its_path_copied(demo: Rig) -> None:
    panel, twin, s = ready(demo, "hedgehog"), demo.window.twin, demo.session
    demo.window.deck.open("Posts")
    page = panel.posts
    page.place.click()
    rect, orbit = twin.areas()["right"], twin.pictures["right"].orbit
    chooser = page.work.chooser
    assert chooser is not None
    flat = project(chooser.whole.points.mean(axis=0)[None], orbit, int(rect.width()), int(rect.height()))[0]
    QTest.mouseClick(twin, LEFT, PLAIN, QPoint(int(flat[0] + rect.x()), int(flat[1] + rect.y())))
    demo.wait(lambda: values(demo, "posts"))
    demo.settle()
    demo.wait(lambda: page.rows)
    (post,) = page.rows
    near = np.linalg.norm(chooser.whole.points - np.array(post.at), axis=1).min()
    assert post.name == "post 1" and near < 0.1 and abs(np.linalg.norm(post.points) - 1) < 1e-5
    page.copy.click()
    board = QApplication.clipboard()
    assert board is not None and board.text() == post.path == "4"
    page.name.setText("perch")
    page.attached.setText("props/bell.glb")
    page.attached.editingFinished.emit()
    demo.settle()
    demo.wait(lambda: page.rows and page.rows[0].name == "perch")
    assert page.rows[0].attached == "props/bell.glb"
    handles = twin.handles
    assert handles is not None
    handles.move[:] = (0.0, 0.25, 0.0)
    handles.moved.emit(handles.move)
    handles.drop()
    demo.settle()
    demo.wait(lambda: page.rows[0].at[1] == pytest.approx(post.at[1] + 0.25, abs=1e-5))
    page.name.setText("")
    page.name.editingFinished.emit()
    assert "a name of its own" in demo.said[-1][0]
    page.drop.click()
    demo.settle()
    demo.wait(lambda: not page.rows)
    for _ in range(4):
        s.undo()
        demo.settle()
    assert not values(demo, "posts")


@pytest.mark.goods("hedgehog")
def test_an_icon_is_framed_seen_and_dispatched(demo: Rig, tmp_path: Path) -> None:
    panel, s = ready(demo, "hedgehog"), demo.session
    demo.window.deck.open("Pictures")
    page = panel.pictures
    demo.wait(lambda: len(page.shown) == 3)
    assert [pixels.shape for _, _, pixels in page.shown] == [
        (128, 128, 4)
    ] * 3 and page.said() == "128 × 128 PNG"
    before = page.shown[0][2]
    page.angles.buttons["front"].click()
    demo.settle()
    demo.wait(lambda: (page.shown[0][2] != before).any())
    demo.window.twin.yaw, demo.window.twin.pitch = 120.0, 30.0
    page.view.click()
    demo.settle()
    assert values(demo, "picture")["turn"] == (120.0, 30.0)
    page.grounds.buttons["dark"].click()
    demo.settle()
    demo.wait(lambda: len(page.shown) == 1)
    page.text.setText("no picture")
    page.text.editingFinished.emit()
    demo.settle()
    assert values(demo, "picture")["text"] == "no picture"
    s.undo()
    demo.settle()
    s.jobs.dispatch(["hedgehog"], tmp_path)
    demo.settle()
    demo.wait(lambda: "hedgehog" in s.logs)
    assert s.logs["hedgehog"].accepted and (tmp_path / "hedgehog" / "hedgehog_icon.png").is_file()
    # Landing shows the mesh alone, its levels as one goes away, shapes as outlines.
    demo.window.open_desk("landing")
    demo.wait(lambda: "hedgehog" in s.landed_scenes)
    landed = s.landed_scenes["hedgehog"]
    counted = [counts(seen_from(landed, d))["triangles"] for d in (0.1, landed.meshes[0].reach[0] * 2.2, 1e5)]
    assert counted[0] > counted[1] >= counted[2] and len(shapes_of(landed)) == 3 and len(landed.meshes) == 1
    demo.window.open_desk("fittings")
    for _ in range(3):
        s.undo()
        demo.settle()
    assert not values(demo, "picture").get("turn") and values(demo, "picture")["angle"] == "three-quarter"


@pytest.mark.goods("hedgehog")
def test_a_plot_is_drawn_mirrored_proposed_and_undone(demo: Rig) -> None:
    panel, s = ready(demo, "hedgehog"), demo.session
    demo.window.deck.open("Plot")
    page, grid = panel.plot, panel.plot.grid
    demo.wait(lambda: grid.ground is not None)
    page.clear.click()
    demo.settle()
    demo.wait(lambda: (grid.letters == ".").all())
    assert "left over" in page.told.text()
    page.areas.buttons["B"].click()
    rows = len(grid.letters)
    QTest.mousePress(grid, LEFT, PLAIN, grid.middle_of((0, 0)).toPoint())
    QTest.mouseMove(grid, grid.middle_of((rows - 1, 0)).toPoint())
    QTest.mouseRelease(grid, LEFT, PLAIN, grid.middle_of((rows - 1, 0)).toPoint())
    demo.settle()
    drawn = np.array([list(r) for r in values(demo, "plot")["rows"]])  # type: ignore[call-overload, attr-defined]
    assert grid.ground is not None
    assert (drawn[:, 0] == "B").sum() == grid.ground.inside[:, 0].sum() and np.array_equal(
        drawn[:, 0] == "B", (drawn[:, -1] == "B") | ~grid.ground.inside[:, -1] & (drawn[:, 0] == "B")
    )
    page.tools.buttons["fill"].click()
    page.areas.buttons["C"].click()
    spot = tuple(np.argwhere(grid.ground.inside & (drawn != "B"))[0].tolist())
    QTest.mouseClick(grid, LEFT, PLAIN, grid.middle_of(spot).toPoint())
    demo.settle()
    assert "fore" in page.told.text()
    page.propose.click()
    demo.settle()
    demo.wait(lambda: "left over" not in page.told.text())
    row = next(r for r in s.result.ledger.rows if r.requirement == "plot")  # type: ignore[union-attr]
    assert row.verdict == "cleared", row
    before = values(demo, "plot")["rows"]
    page.clear.click()
    demo.settle()
    s.undo()
    demo.settle()
    assert values(demo, "plot")["rows"] == before
