"""The desk Motion in the real window: drag a clip edge, rename, pair joints, paint a weight, play, undo
all.
"""

from __future__ import annotations

import json
from collections import Counter
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QPolygonF
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox

from customs.motion.weights.table import table_of
from customs.sheet.load import load_sheet
from customs.work.motion import weights_scene
from customs_desktop.views.halves import look_of
from tests.desktop.conftest import Rig
from tests.outside.judges import judge_scene

pytestmark = pytest.mark.goods("watering_stork", "lamplighter", "house_warden")


def motion(demo: Rig, asset: str) -> Rig:
    """The desk open on an asset."""
    demo.session.select(asset)
    demo.window.open_desk("motion")
    demo.wait(lambda: demo.session.result is not None and demo.window.panel("motion").bench.takes is not None)
    demo.settle()
    return demo


def rows(demo: Rig) -> list[tuple[str, float, float]]:
    """Name, first and last of the table of the stop Clips."""
    assert demo.session.asset is not None
    stop = demo.session.asset.route.of_step("clips")
    return [(n, a, b) for n, a, b, _ in dict(stop.values)["ranges"]] if stop is not None else []


def drag(demo: Rig, start: QPointF, end: QPointF) -> None:
    """A drag on the band."""
    band = demo.window.panel("motion").page.band
    QTest.mousePress(band, Qt.MouseButton.LeftButton, pos=start.toPoint())
    middle = QPoint((start.toPoint().x() + end.toPoint().x()) // 2, start.toPoint().y())
    QTest.mouseMove(band, middle)
    QTest.mouseMove(band, end.toPoint())
    QTest.mouseRelease(band, Qt.MouseButton.LeftButton, pos=end.toPoint())


def found(demo: Rig) -> None:
    """The stork's take cut where it rests."""
    demo.window.panel("motion").find_clips()
    demo.wait(lambda: len(rows(demo)) == 3)
    demo.settle()


def test_a_take_is_found_dragged_renamed_and_undone(demo: Rig) -> None:
    motion(demo, "watering_stork")
    start = demo.session.asset
    found(demo)
    band = demo.window.panel("motion").page.band
    box = band.span_box(1)
    last = rows(demo)[1][2]
    drag(demo, QPointF(box.right(), box.center().y()), QPointF(band.x_of(last - 6), box.center().y()))
    assert abs(rows(demo)[1][2] - (last - 6)) <= 1 and rows(demo)[0] == rows(demo)[0]
    demo.settle()
    line = band.rename(1)
    line.setText("stride")
    QTest.keyClick(line, Qt.Key.Key_Return)
    demo.wait(lambda: rows(demo)[1][0] == "stride")
    demo.settle()
    assert demo.session.result is not None
    assert [c.name for c in demo.session.result.passed[-1].scene.clips][1] == "stride"
    edge = band.x_of(rows(demo)[2][1]) + 40
    drag(demo, QPointF(edge, box.center().y()), QPointF(edge + 25, box.center().y()))
    assert rows(demo)[2][2] - rows(demo)[2][1] == pytest.approx(52, abs=2), "moved, not trimmed"
    band.setFocus()
    QTest.keyClick(band, Qt.Key.Key_Delete)
    assert len(rows(demo)) == 2
    for _ in range(5):
        demo.session.undo()
    demo.settle()
    assert demo.session.asset == start and rows(demo) == []


def test_a_new_clip_is_drawn_and_frames_counted_at_another_rate(demo: Rig) -> None:
    motion(demo, "watering_stork")
    band = demo.window.panel("motion").page.band
    y = band.row(1).center().y()
    drag(demo, QPointF(band.x_of(10), y), QPointF(band.x_of(40), y))
    demo.settle()
    assert (
        rows(demo)[0][0] == "clip 1" and abs(rows(demo)[0][1] - 10) <= 1 and abs(rows(demo)[0][2] - 40) <= 1
    )
    demo.window.panel("motion").page.rate.emit(48.0)
    demo.settle()
    assert abs(rows(demo)[0][1] - 20) <= 2 and abs(rows(demo)[0][2] - 80) <= 2
    assert demo.session.result is not None
    assert abs(demo.session.result.passed[-1].scene.clips[0].seconds - 30 / 24) < 0.1
    drag(demo, QPointF(band.x_of(200), y), QPointF(band.x_of(200), y))
    assert len(rows(demo)) == 1, "a click in an empty place cuts nothing"


@pytest.mark.parametrize(
    "how", [pytest.param("together", marks=pytest.mark.breadth(1000)), "first-with-mesh"]
)
def test_split_in_the_window_and_delivered_both_ways(demo: Rig, tmp_path: Path, how: str) -> None:
    """Acceptance: one take split into clips, delivered both ways, read again by libassimp with the right
    lengths.
    """
    motion(demo, "watering_stork")
    found(demo)
    takes = demo.window.panel("motion").bench.takes
    assert takes is not None
    names = ("idle", "stride", "watering")
    demo.window.panel("motion").keep_rows(
        [(n, a, b, t) for n, (_, a, b, t) in zip(names, takes.ranges)], "Names"
    )
    demo.settle()
    lengths = {n: (b - a) / takes.rate for n, (_, a, b, _) in zip(names, takes.ranges)}
    demo.session.set_sheet("clips-apart-kit" if how == "first-with-mesh" else "centimetre-zup-lh")
    demo.settle()
    assert rows(demo)[0][0] == "idle", "a person's stop is kept by planning"
    demo.session.jobs.dispatch(["watering_stork"], tmp_path)
    demo.wait(lambda: "watering_stork" in demo.session.logs)
    log = demo.session.logs["watering_stork"]
    assert log.accepted, [line.text for line in log.lines if line.level == "refusal"]
    body = json.loads((tmp_path / "watering_stork" / "docket.json").read_text("utf-8"))
    models = [m["path"] for m in body["models"]]
    assert len(models) == (1 if how == "together" else 3)
    clips = {c.name: c for m in models for c in judge_scene(tmp_path / "watering_stork" / m).clips}
    assert {n: round(c.seconds, 3) for n, c in clips.items()} == {
        n: pytest.approx(v, abs=0.002) for n, v in lengths.items()
    }
    if how == "first-with-mesh":
        bare = judge_scene(tmp_path / "watering_stork" / models[1])
        assert not bare.meshes and len(bare.nodes) >= 25
    landed_clips_play(demo, names)


def landed_clips_play(demo: Rig, names: tuple[str, ...]) -> None:
    """The desk Landing plays what was read back, from one file or from several."""
    w = demo.window
    w.open_desk("landing")
    clips = w.panel("landing").clips
    demo.wait(lambda: [clips.choice.itemText(i) for i in range(clips.choice.count())] == list(names))
    assert w.player is clips.player and clips.isVisible() and w.twin.poses == {}, (
        "it stands until it is played"
    )
    clips.choose(2)
    w.menus.actions["Play or pause"].trigger()
    demo.wait(lambda: clips.player.seconds > 0.2)
    assert w.twin.poses["right"][0] == 2 and "frames/s" in clips.where.text()
    w.menus.actions["One frame on"].trigger()
    assert not clips.player.playing
    w.open_desk("fit")
    assert w.twin.poses == {} and w.player is w.panel("motion").player


def test_playing_moves_both_halves_and_never_blocks(demo: Rig) -> None:
    motion(demo, "watering_stork")
    found(demo)
    panel, twin = demo.window.panel("motion"), demo.window.twin
    panel.page.band.pick(1)
    name = panel.page.band.strip.spans[1].name
    assert panel.clips.which.text().startswith(name), "the tools are those of the clip that is picked"
    drawn: Counter[str] = Counter()
    demo.session.painter.painted.connect(lambda slot, *_: drawn.update([slot]))
    panel.player.play()
    demo.wait(lambda: panel.player.seconds > 0.3 and min(drawn["view left"], drawn["view right"]) > 3)
    assert abs(drawn["view left"] - drawn["view right"]) <= 2, (
        "however slow the driver, each half gets its turn"
    )
    assert panel.player.playing and twin.poses["left"][0] == 0 and twin.poses["right"][0] == 1
    assert twin.poses["left"][1] == pytest.approx(rows(demo)[1][1] / 24 + twin.poses["right"][1], abs=1e-6)
    panel.player.pause()
    panel.player.loop = False
    panel.player.seek(panel.player.length - 0.02)
    panel.player.play()
    demo.wait(lambda: not panel.player.playing)
    assert panel.player.seconds == panel.player.length
    panel.player.seek(0)
    panel.player.step(3)
    assert panel.player.seconds == pytest.approx(3 / 24) and "3 of" in panel.page.where.text()
    panel.page.band.sought.emit(2.0)
    assert panel.player.stretch is not None and not panel.player.stretch.name, (
        "outside the clip the take is shown"
    )
    demo.window.open_desk("fit")
    assert twin.poses == {} and twin.overlay is None


def test_joints_are_paired_and_the_donors_skeleton_taken(demo: Rig) -> None:
    motion(demo, "lamplighter")
    panel = demo.window.panel("motion")
    start = demo.session.asset
    facing = panel.donor.facing
    assert facing is not None and len(facing.pairs) == 21
    spots, theirs = panel.donor.map.spots("arriving"), panel.donor.map.spots("donor")
    a, d = facing.arriving.names.index("toe_l"), facing.donor.names.index("BallRight")
    QTest.mousePress(panel.donor.map, Qt.MouseButton.LeftButton, pos=QPointF(*spots[a]).toPoint())
    QTest.mouseMove(panel.donor.map, QPointF(*theirs[d]).toPoint())
    QTest.mouseRelease(panel.donor.map, Qt.MouseButton.LeftButton, pos=QPointF(*theirs[d]).toPoint())
    assert demo.session.asset is not None
    stop = demo.session.asset.route.of_step("donor")
    picked = panel.overlay.joint
    assert stop is not None and dict(stop.values)["pairs"][0][0] == picked
    demo.settle()
    panel.donor.pair("hand_l", "")
    demo.settle()
    assert demo.session.asset.route.of_step("donor").values[-1] == ("unpaired", ("hand_l",))  # type: ignore[union-attr]
    demo.session.undo()
    demo.session.undo()
    demo.settle()
    assert demo.session.asset == start
    panel.donor._use()
    demo.settle()
    scene = demo.session.result.passed[-1].scene  # type: ignore[union-attr]
    assert {scene.nodes[j].name for j in scene.skins[0].joints} == set(facing.donor.names)
    assert panel.joints.table.rowCount() == 21
    assert (
        panel.joints.table.item(3, 5).text() == panel.joints.table.item(3, 1).text() == facing.donor.names[3]
    )  # type: ignore[union-attr]


def test_a_weight_is_painted_on_chosen_vertices_and_undone(demo: Rig) -> None:
    motion(demo, "lamplighter")
    panel = demo.window.panel("motion")
    tools, start = panel.weights, demo.session.asset
    tools.change("set")
    assert any("Pick a joint first" in text for text, _ in demo.said)
    panel.pick_joint("head")
    tools.change("set")
    assert any("Choose vertices first" in text for text, _ in demo.said)
    tools.by_joint()
    few = sum(len(v) for v in tools.chosen.values())
    tools.grow(1)
    assert sum(len(v) for v in tools.chosen.values()) > few > 50
    tools.grow(-1)
    tools.amount.setText("0.25")
    tools.change("set")
    demo.settle()
    scene = weights_scene(demo.session.result.passed)  # type: ignore[union-attr]
    p = scene.meshes[0].primitives[0]
    names = [scene.nodes[j].name for j in scene.skins[0].joints]
    column = table_of(p, len(names)).toarray()[:, names.index("head")]
    chosen = tools.chosen[str(p.key)]
    assert np.abs(column[chosen] - 0.25).max() < 1e-6
    tools.map.setChecked(True)
    tools._map()
    assert "right" in demo.window.twin.drawn and panel.overlay.scale
    demo.session.undo()
    demo.settle()
    assert demo.session.asset == start
    tools.none()
    twin = demo.window.twin
    demo.wait(lambda: "right" in twin.pictures)
    area = twin.areas()["right"]
    twin.lassoed.emit(QPolygonF(area))
    assert sum(len(v) for v in tools.chosen.values()) > 2000, "all that lies inside"
    tools.islands()


def test_clip_buttons_are_stops_and_files_are_chosen(demo: Rig) -> None:
    motion(demo, "house_warden")
    panel = demo.window.panel("motion")
    panel.clips.do("reduce", {})
    demo.settle()
    assert "reduce" in demo.steps()
    panel.clips.files.chosen.emit("each")
    assert demo.session.asset.route.of_step("clip-files") is not None  # type: ignore[union-attr]
    panel.clips.files.chosen.emit("none")
    demo.settle()
    assert demo.session.result.passed[-1].scene.clips == ()  # type: ignore[union-attr]
    panel.clips.files.chosen.emit("only")
    demo.settle()
    assert "static" not in demo.steps()
    assert dict(demo.session.asset.route.of_step("clip-files").values)["how"] == "only"  # type: ignore[union-attr]
    panel.pick_joint("Thigh" + "Left")
    demo.window.deck.open("Curves")
    assert panel.curves.lines and panel.curves.lines[0].unit == "°"
    panel.joints.search.setText("palm")
    shown = [k for k in range(panel.joints.table.rowCount()) if not panel.joints.table.isRowHidden(k)]
    assert len(shown) == 2 and load_sheet("metre-yup-pbr").rig.clip_files == ("together",)
    assert panel.clips.stops_menu().actions()


@pytest.mark.goods("moss_keeper", "gardener", "spring_basin")
def test_another_donor_is_read_from_a_file_and_a_wrong_one_is_said(demo: Rig, tmp_path: Path) -> None:
    motion(demo, "moss_keeper")
    path = next(Path(a.source) for a in demo.session.state.goods if a.id == "gardener")
    demo.window.panel("motion").choose_donor(str(path))
    demo.wait(lambda: demo.session.asset is not None and demo.session.asset.donor_name == "gardener")
    basin = next(Path(a.source) for a in demo.session.state.goods if a.id == "spring_basin")
    demo.window.panel("motion").choose_donor(str(basin))
    demo.wait(lambda: any("no skeleton" in text for text, _ in demo.said))
    demo.settle()


def test_a_bone_is_said_by_hand_in_the_table(demo: Rig) -> None:
    motion(demo, "lamplighter")
    demo.window.deck.open("Joints")
    page, start = demo.window.panel("motion").joints, demo.session.asset
    row = next(k for k in range(page.table.rowCount()) if page.table.item(k, 1).text() == "spine_02")  # type: ignore[union-attr]
    page.table.editItem(page.table.item(row, 4))
    editor = page.table.findChild(QComboBox)
    assert editor is not None and editor.currentText() == "–" and editor.count() == 56
    editor.setCurrentText("upperChest")
    editor.activated.emit(editor.currentIndex())
    demo.wait(lambda: "humanoid" in demo.steps())
    demo.settle()
    stop = demo.session.asset.route.of_step("humanoid")  # type: ignore[union-attr]
    assert dict(stop.values)["bones"] == (("upperChest", "spine_02"),)  # type: ignore[union-attr]
    assert page.table.item(row, 4).text() == "upperChest" and "humanoid complete" in page.count.text()  # type: ignore[union-attr]
    demo.window.panel("motion").say_bone("spine_02", "")
    demo.settle()
    scene = demo.session.result.passed[-1].scene  # type: ignore[union-attr]
    assert next(n.bone for n in scene.nodes if n.name == "spine_02") != "upperChest"
    demo.session.undo()
    demo.session.undo()
    demo.settle()
    assert demo.session.asset == start


def test_a_still_of_a_moment_with_a_joint_turned(demo: Rig) -> None:
    motion(demo, "house_warden")
    panel, start = demo.window.panel("motion"), demo.session.asset
    panel.page.band.pick(-1)
    panel.player.seek(0.5)
    panel.clips.stand()
    demo.settle()
    pose = demo.session.asset.route.of_step("pose")  # type: ignore[union-attr]
    assert dict(pose.values)["seconds"] == pytest.approx(0.5, abs=0.02)  # type: ignore[union-attr]
    panel.pick_joint("Head1")
    panel.clips.turns[1].setText("30")
    panel.clips.turns[1].entered.emit(30.0)
    demo.settle()
    pose = demo.session.asset.route.of_step("pose")  # type: ignore[union-attr]
    assert dict(pose.values)["turns"] == (("Head1", 0.0, 30.0, 0.0),)  # type: ignore[union-attr]
    panel.clips.files.chosen.emit("still")
    demo.settle()
    scene = demo.session.result.passed[-1].scene  # type: ignore[union-attr]
    assert not scene.skins and not scene.clips and panel.clips.files.buttons["still"].isChecked()
    panel.clips.unpose()
    demo.settle()
    assert "pose" not in demo.steps()
    for _ in range(4):
        demo.session.undo()
    demo.settle()
    assert demo.session.asset == start


def test_the_right_half_is_drawn_by_dual_quaternions(demo: Rig) -> None:
    motion(demo, "watering_stork")
    twin, tools = demo.window.twin, demo.window.panel("motion").weights
    tools.dual.click()
    assert twin.right is not None and twin.left is not None
    assert look_of(twin, "right", twin.right, False).dual and not look_of(twin, "left", twin.left, False).dual
    tools.dual.click()
    assert not look_of(twin, "right", twin.right, False).dual
