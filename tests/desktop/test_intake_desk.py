"""The desk Intake, hands on: browse, filter, preview by key, choose, close, fill a missing name, unlock, take in, undo."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QModelIndex, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QPixmap
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QFileDialog

from customs.demo.stores import PASSWORD, write_stores
from customs.errors import Cancelled
from customs.intake import spill, through
from customs.intake.heap import Heap
from customs.intake.spill import Spill
from customs.preferences import Preferences, preferences
from customs_desktop.desks.intake.heap_model import CHOSEN, COLUMNS, KIND, NAME, SIZE
from customs_desktop.desks.intake.panel import IntakePanel
from customs_desktop.desks.intake.preview import channel_image
from customs_desktop.preferences import PreferencesDialog
from tests.assets import cube, saved, scene_of
from tests.desktop.conftest import Rig
from tests.intake.made import zip_of

DISPLAY = Qt.ItemDataRole.DisplayRole


@pytest.fixture(scope="module")
def stores(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_stores(tmp_path_factory.mktemp("stores"))


@pytest.fixture(autouse=True)
def _own_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setattr("customs.intake.spill.spill_folder", lambda: tmp_path / "cache")
    yield
    through._heaps.clear()


def opened(rig: Rig, path: Path) -> IntakePanel:
    """The desk with a heap on it."""
    panel = rig.window.panel("intake")
    assert isinstance(panel, IntakePanel)
    rig.window.open_desk("intake")
    panel.look([path])
    rig.wait(lambda: panel.page.model.rowCount() > 0 and rig.session.worker.waiting == 0)
    return panel


def names(panel: IntakePanel, parent: QModelIndex | None = None) -> list[str]:
    model = panel.page.model
    up = parent or QModelIndex()
    return [str(model.data(model.index(r, NAME, up), DISPLAY)) for r in range(model.rowCount(up))]


def at(panel: IntakePanel, place: str) -> QModelIndex:
    index = panel.page.model.index_of(panel.page.model.browsed.at[place])
    assert index.isValid()
    return index


def said(panel: IntakePanel, place: str, column: int) -> str:
    index = at(panel, place)
    return str(panel.page.model.data(index.siblingAtColumn(column), DISPLAY))


def test_from_the_stores_to_two_assets_and_back(rig: Rig, stores: Path) -> None:
    w, s = rig.window, rig.session
    panel = opened(rig, stores)
    work, page = panel.work, panel.page
    assert w.views.currentWidget() is panel.preview and names(panel) == ["glasshouse_stores.tar"]
    root = page.model.index(0, 0)
    assert set(names(panel, root)) == {
        "figures.zip", "props.zip", "textures.zip", "gulls.zip", "handwork.zip", "sounds.zip", "notes.zip", "clips.zip", "keepers.7z", "torn.zip", "licence.txt", "version.txt",
    }  # fmt: skip
    assert (
        said(panel, f"{stores}/keepers.7z", KIND) == "encrypted"
        and said(panel, f"{stores}/keepers.7z", CHOSEN) == "locked"
    )
    assert "252 files" in said(panel, f"{stores}/props.zip", KIND)
    # Filtered by name, then by kind, then by size.
    page.search.setText("cart gltf")
    rig.wait(lambda: page.model.files() == 1)
    page.search.setText("> 1 MB")
    rig.wait(lambda: page.model.files() == 2)
    page.search.setText("")
    page.chips.buttons["texture"].click()
    rig.wait(lambda: page.model.files() == 592)
    page.chips.buttons[""].click()
    # Chosen with the keyboard: what goes along is said before anything is taken.
    for place in ("props.zip/bench/potting_bench.obj", "figures.zip/hedgehog/hedgehog.gltf"):
        page.go_to(f"{stores}/{place}")
        QTest.keyClick(page.view, Qt.Key.Key_Space)
        rig.wait(lambda p=place: work.picked.get(f"{stores}/{p}") is not None)
    assert [x.name for x in panel.along.wanting()] == ["bench_slate_c.png", "hedgehog_copper.png"]
    assert (
        panel.which.isVisible() and panel.find.isVisible() and "Take in 2 assets" in panel.take_button.text()
    )
    assert panel._along_said().startswith("7 files") and panel.costs["Left where it is"].text() == "–"
    assert said(panel, f"{stores}/props.zip/bench/potting_bench.obj", CHOSEN) == "yes"
    assert said(panel, f"{stores}/textures.zip/bench/textures/bench_wood_c.png", CHOSEN) == "goes along"
    assert said(panel, f"{stores}/props.zip", CHOSEN) == "1 chosen"
    # Of two that may be meant, one is.
    several = panel.along.wanting()[0]
    panel.along.given.emit(several.name, several.candidates[0])
    rig.wait(lambda: [x.name for x in panel.along.wanting()] == ["hedgehog_copper.png"])
    assert "Glasshouse workshop" in panel._rights_said()
    panel.take_button.click()
    rig.wait(lambda: len(s.state.goods) == 2)
    rig.settle()
    bench = next(a for a in s.state.goods if a.id == "potting_bench")
    assert bench.source == f"{stores}/props.zip/bench/potting_bench.obj" and several.name in bench.given
    assert bench.author == "Glasshouse workshop" and bench.licence == "CC-BY-4.0" and bench.use == "deliver"
    assert bench.stamps["version.txt"] == "stores 3.2\n"
    assert not work.picked and not panel.take_button.isEnabled()
    assert w.views.currentWidget() is w.twin, "what was taken in is shown"
    # Two decisions, or four where one was planned while the other was read.
    undone = sum(s.undo() is None for _ in range(4) if s.state.goods)
    assert not s.state.goods and undone <= 4
    assert sorted(os.listdir(stores.parent)) == [".stores", "glasshouse_stores.tar", "goods"]


def test_a_missing_name_is_filled_by_what_is_dropped_on_it(rig: Rig, stores: Path, tmp_path: Path) -> None:
    panel = opened(rig, stores)
    panel.work.toggle([f"{stores}/figures.zip/hedgehog"])
    rig.wait(lambda: [x.name for x in panel.along.wanting()] == ["hedgehog_copper.png"])
    copper = tmp_path / "my copper.png"
    copper.write_bytes((stores.parent / "goods" / "hedgehog" / "hedgehog_copper.png").read_bytes())
    top = panel.along.topLevelItem(0)
    assert top is not None
    row = next(top.child(k) for k in range(top.childCount()) if top.child(k).text(1) == "not found")  # type: ignore[union-attr]
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(copper))])
    place = QPointF(panel.along.visualItemRect(row).center())
    keys = Qt.KeyboardModifier.NoModifier
    panel.along.dropEvent(QDropEvent(place, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, keys))
    rig.wait(lambda: not panel.along.wanting())
    assert panel.work.chosen.closures[0].given["hedgehog_copper.png"] == str(copper)
    panel.take_button.click()
    rig.wait(lambda: rig.session.asset is not None)
    rig.settle()
    assert rig.row("texture-missing").verdict == "cleared" and rig.session.asset.absent == ()  # type: ignore[union-attr]


def test_a_further_folder_fills_what_is_missing(
    rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, stores: Path
) -> None:
    panel = opened(rig, stores)
    panel.work.toggle([f"{stores}/figures.zip/hedgehog"])
    rig.wait(lambda: len(panel.along.wanting()) == 1)
    further = tmp_path / "further" / "skins"
    further.mkdir(parents=True)
    (further / "HEDGEHOG_Copper.PNG").write_bytes(b"x")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(further.parent))
    panel.find.click()
    rig.wait(lambda: not panel.along.wanting())
    assert panel.work.chosen.closures[0].given["hedgehog_copper.png"].endswith("HEDGEHOG_Copper.PNG")


def test_files_are_looked_at_one_after_another_with_the_keys(rig: Rig, stores: Path) -> None:
    panel = opened(rig, stores)
    page, preview = panel.page, panel.preview
    page.go_to(f"{stores}/figures.zip/gardener/gardener.vrm")
    rig.wait(lambda: preview.shown is not None and preview.shown.place.endswith("gardener.vrm"))
    assert preview.mode == "mesh" and preview.shown is not None and preview.shown.scene is not None
    QTest.keyClick(preview, Qt.Key.Key_Down)
    rig.wait(lambda: preview.shown.place.endswith("hedgehog.gltf"))
    QTest.keyClick(preview, Qt.Key.Key_Up)
    rig.wait(lambda: preview.shown.place.endswith("gardener.vrm"))
    QTest.keyClick(preview, Qt.Key.Key_PageDown)
    rig.wait(lambda: preview.mode == "texture" and preview.shown.pixels is not None)
    assert page.current_place().endswith(".png")
    preview.channels.buttons["r"].click()
    preview.grab()
    page.go_to(f"{stores}/figures.zip/stork/watering_stork.glb")
    rig.wait(lambda: preview.shown.scene is not None and bool(preview.shown.scene.clips))
    preview.modes.buttons["clip"].click()
    assert preview.play.isVisible() and preview.player.length > 0
    QTest.keyClick(preview, Qt.Key.Key_Space)
    rig.wait(lambda: preview.player.seconds > 0.05 and preview._picture is not None)
    QTest.keyClick(preview, Qt.Key.Key_Space)
    assert not preview.player.playing
    yaw = preview.yaw
    QTest.mousePress(preview, Qt.MouseButton.LeftButton, pos=QPoint(200, 120))
    QTest.mouseMove(preview, QPoint(260, 130))
    QTest.mouseRelease(preview, Qt.MouseButton.LeftButton, pos=QPoint(260, 130))
    assert preview.yaw != yaw or preview._grip is None
    page.go_to(f"{stores}/licence.txt")
    rig.wait(lambda: preview.mode == "text" and "CC-BY" in preview.text.toPlainText())
    page.go_to(f"{stores}/sounds.zip/drip_0001.ogg")
    rig.wait(lambda: "nothing to show" in preview.shown.problem)
    preview.grab()


def test_a_locked_archive_is_opened_in_its_row(rig: Rig, stores: Path) -> None:
    panel = opened(rig, stores)
    page = panel.page
    page.go_to(f"{stores}/keepers.7z")
    assert page.lock.isVisible() and "encrypted" in page.lock_about.text()
    for word in ("copper", PASSWORD):
        page.password.setText(word)
        QTest.keyClick(page.password, Qt.Key.Key_Return)
        assert page.password.text() == ""
        rig.wait(lambda: rig.session.worker.waiting == 0)
    assert any("does not fit" in text for text, _ in rig.said)
    place = f"{stores}/keepers.7z/keepers/moss_keeper.glb"
    rig.wait(lambda: place in page.model.browsed.at)
    panel.work.toggle([place])
    # Until it is known what goes along, nothing is taken.
    assert not panel.take_button.isEnabled() and not panel.work.settled
    rig.wait(panel.take_button.isEnabled)
    assert panel.work.chosen.closures
    panel.take_button.click()
    rig.wait(lambda: rig.session.asset is not None)
    rig.settle()
    assert rig.session.asset.kind.startswith("rigged")  # type: ignore[union-attr]
    # What the password opened goes with the window.
    copies = [p for p in spill.spill_folder().rglob("keepers/moss_keeper.glb")]
    assert copies
    rig.session.close()
    assert not [p for p in copies if p.exists()]


def test_what_is_chosen_and_let_go_at_once_is_not_taken(rig: Rig, stores: Path) -> None:
    panel = opened(rig, stores)
    work = panel.work
    one, other = f"{stores}/props.zip/bench/potting_bench.obj", f"{stores}/figures.zip/hedgehog/hedgehog.gltf"
    work.toggle([one])
    work.toggle([other])
    work.toggle([one])
    rig.wait(lambda: work.settled)
    rig.wait(lambda: rig.session.worker.waiting == 0)
    assert list(work.picked) == [other] and [c.model.place for c in work.chosen.closures] == [other]
    # Of very many, those that want something are shown first, and how many more there are.
    work.toggle([f"{stores}/props.zip", f"{stores}/figures.zip"])
    rig.wait(lambda: work.settled and len(work.picked) > 100)
    along, count = panel.along, len(work.picked)
    last = along.topLevelItem(along.topLevelItemCount() - 1)
    assert last is not None and last.text(0) == f"and {count - 100} models more"
    verdicts = [c.verdict for c in work.chosen.closures]
    assert verdicts.count("held") + verdicts.count("query") <= 100 and along.wanting()
    first = along.topLevelItem(0)
    assert first is not None and "held" in verdicts and first.childCount() > 0
    root = panel.page.model.index_of(panel.page.model.browsed.at[str(stores)])
    assert panel.page.model.data(root.siblingAtColumn(CHOSEN), DISPLAY) == f"{count} chosen"


def test_listing_that_is_stopped_may_be_asked_for_again(
    rig: Rig, stores: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    panel = rig.window.panel("intake")
    with monkeypatch.context() as m:
        m.setattr(Heap, "_add", lambda *_: (_ for _ in ()).throw(Cancelled))
        panel.look([stores])
        rig.wait(lambda: rig.session.worker.waiting == 0)
    assert not panel.work.paths and not panel.work.browsed.entries
    panel.look([stores])
    rig.wait(lambda: panel.work.browsed.entries)


def test_the_heap_as_one_table_sorted_and_duplicates_folded(rig: Rig, stores: Path) -> None:
    panel = opened(rig, stores)
    page, model = panel.page, panel.page.model
    assert [model.headerData(k, Qt.Orientation.Horizontal, DISPLAY) for k in range(len(COLUMNS))] == list(
        COLUMNS
    )
    page.flat.click()
    assert names(panel)[0] == "spring_basin.stl" and model.rowCount() == 1992
    for column in (NAME, KIND, SIZE):
        shown = {tuple(names(panel)[:3]) for _ in range(2) if page._sort(column) is None}
        assert len(shown) == 2, "the other way round at the second press"
    page.twins.click()
    rig.wait(lambda: len(model.folded) > 0)
    assert model.rowCount() == 1992 - len(model.folded) and "duplicate" in page.folded_about.text()
    page.twins.click()
    rig.wait(lambda: model.rowCount() == 1992)
    page.flat.click()
    assert names(panel) == ["glasshouse_stores.tar"]
    for role in (
        Qt.ItemDataRole.ToolTipRole,
        Qt.ItemDataRole.FontRole,
        Qt.ItemDataRole.ForegroundRole,
        Qt.ItemDataRole.DecorationRole,
    ):
        assert model.data(model.index(0, 0), role) is not None
    panel.work.clear()
    assert model.rowCount() == 0 and rig.window.views.currentWidget() is rig.window.twin


def test_clips_in_files_of_their_own_go_along_where_they_fit(rig: Rig, stores: Path) -> None:
    panel = opened(rig, stores)
    panel.work.toggle([f"{stores}/figures.zip/stork"])
    rig.wait(lambda: len(panel.work.pairs) == 2)
    ticks = {t.text().partition(":")[0]: t for t in panel.pairs.findChildren(QCheckBox) if not t.isHidden()}
    drink, preen = ticks["watering_stork_drink.glb"], ticks["watering_stork_preen.glb"]
    assert drink.isChecked() and not preen.isChecked() and "17 of 18 joints" in preen.text()
    assert panel.pair_fold.isVisibleTo(panel) and panel.pairs.words() == "1 clip go along"
    preen.click()
    rig.wait(lambda: panel.pairs.words() == "2 clips go along")
    panel.take_button.click()
    rig.wait(lambda: rig.session.asset is not None)
    rig.settle()
    asset, result = rig.session.asset, rig.session.result
    assert asset is not None and asset.kind == "rigged · 3 clips" and len(asset.paired) == 2
    assert result is not None and result.taken is not None
    assert any("not moved" in r.text and "crest" in r.text for r in result.taken.scene.remarks)
    assert not panel.work.pairs and not panel.pair_fold.isVisibleTo(panel)


def test_what_is_taken_from_the_stores_is_delivered_to_two_destinations(
    rig: Rig, stores: Path, tmp_path: Path
) -> None:
    panel, s = opened(rig, stores), rig.session
    panel.work.toggle([f"{stores}/figures.zip/stork"])
    rig.wait(lambda: len(panel.work.pairs) == 2 and panel._best is not None)
    panel.this_origin.click()
    panel.take_button.click()
    rig.wait(lambda: s.asset is not None)
    rig.settle()
    for sheet in ("metre-yup-pbr", "centimetre-zup-lh"):
        if s.state.sheet != sheet:
            s.set_sheet(sheet)
        rig.settle()
        s.logs.clear()
        s.jobs.dispatch([s.current], tmp_path / sheet)
        rig.wait(lambda: s.current in s.logs)
        assert s.logs[s.current].accepted and s.packages[s.current].is_relative_to(tmp_path / sheet)


def test_the_origin_that_explains_the_chosen_is_proposed(rig: Rig, stores: Path) -> None:
    panel = opened(rig, stores)
    panel.work.toggle([f"{stores}/figures.zip/stork"])
    rig.wait(lambda: panel._best is not None)
    assert (
        panel._best is not None
        and panel._best.origin == "centimetre-zup"
        and "lies on its back" in panel.why.text()
    )
    assert panel.this_origin.isVisibleTo(panel)
    panel.this_origin.click()
    assert panel.chosen_origin() is not None and not panel.this_origin.isVisibleTo(panel)


def test_one_drag_and_two_presses_to_a_landed_asset(
    rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The first use: an archive with one model on the empty window. Presses are counted."""
    model = saved(scene_of(cube()), tmp_path / "in" / "crate.glb")
    archive = zip_of(tmp_path / "crate.zip", {"crate/crate.glb": model.read_bytes()})
    w, s = rig.window, rig.session
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "out"))
    w.shipments.drop([archive])
    rig.wait(lambda: s.asset is not None)
    rig.settle()
    presses = 0
    w.desks.chosen.emit("dispatch")
    presses += 1
    rig.wait(w.panel("dispatch").one.isEnabled)
    w.panel("dispatch").one.click()
    presses += 1
    rig.wait(lambda: s.current in s.logs)
    assert s.logs[s.current].accepted and presses <= 3


def test_many_models_in_a_folder_are_listed_and_asked_about(rig: Rig, stores: Path) -> None:
    rig.window.shipments.drop([stores])
    rig.wait(lambda: rig.window.desk == "intake" and rig.session.worker.waiting == 0)
    assert not rig.session.state.goods and rig.window.panel("intake").work.browsed.counts()["model"] > 100


def test_a_source_that_changes_on_disk_is_noticed_and_taken_again_with_one_press(
    rig: Rig, tmp_path: Path
) -> None:
    path = saved(scene_of(cube()), tmp_path / "in" / "crate.glb")
    s = rig.session
    s.jobs.take_in([path], None)
    rig.wait(lambda: s.asset is not None)
    rig.settle()
    panel = rig.window.panel("intake")
    rig.window.open_desk("intake")
    assert rig.row("source-changed").verdict == "cleared" and not panel.again.isVisibleTo(panel)
    saved(scene_of(cube(), cube(0.5, 1)), path)
    rig.wait(lambda: rig.row("source-changed").verdict == "query")
    rig.settle()
    rig.wait(lambda: panel.again.isVisibleTo(panel))
    panel.again.click()
    rig.wait(lambda: any("taken again" in text and "1 mesh new" in text for text, _ in rig.said))
    rig.settle()
    assert rig.row("source-changed").verdict == "cleared" and s.asset.kind == "prop · 2 meshes"  # type: ignore[union-attr]


def test_rows_that_are_seen_get_small_pictures(rig: Rig, stores: Path) -> None:
    panel = opened(rig, stores)
    page, model = panel.page, panel.page.model
    page.search.setText("pot_00 gltf")
    pots = [f"{stores}/props.zip/pots/pot_00{k}.gltf" for k in range(10)]
    rig.wait(lambda: sum(p in model.pictures for p in pots) >= 4)
    place = next(p for p in pots if p in model.pictures)
    picture = model.data(at(panel, place), Qt.ItemDataRole.DecorationRole)
    assert isinstance(picture, QPixmap) and max(picture.width(), picture.height()) >= 20
    assert len(model.pictures) < 60, "only what is seen"
    panel.work.clear()
    rig.wait(lambda: not model.pictures)


def test_what_is_for_study_only_makes_what_is_made_with_it_so_too(demo: Rig) -> None:
    s = demo.session
    s.select("house_warden")
    s.change_asset("Rights slip", lambda a: replace(a, use="study"))
    demo.settle()
    s.select("lamplighter")
    s.change_asset("No donor", lambda a: replace(a, donor="", donor_name=""))
    demo.settle()
    assert s.asset is not None and s.asset.use == ""
    s.jobs.take_donor(Path(s.state.asset("house_warden").source))  # type: ignore[union-attr]
    demo.wait(lambda: s.asset is not None and bool(s.asset.donor))
    demo.settle()
    assert s.asset.use == "study" and demo.row("rights").verdict == "held"


def test_preferences_say_how_much_is_unpacked_and_let_it_be_forgotten(
    rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("CUSTOMS_HOME", str(tmp_path / "home"))
    monkeypatch.setattr("customs_desktop.preferences.spill_folder", lambda: tmp_path / "cache")
    spill = Spill("one", 1 << 20)
    spill.made("a.bin", lambda out: out.write(bytes(5000)) and None)
    dialog = rig.window.show_preferences()
    assert isinstance(dialog, PreferencesDialog) and "5 kB" in dialog.about.text()
    dialog._forget()
    assert "5 kB" in dialog.about.text(), "what is in use stays"
    spill.close()
    dialog._forget()
    assert "0 bytes" in dialog.about.text()
    dialog.limit.setText("7.5")
    dialog.limit.editingFinished.emit()
    assert preferences().unpacked == int(7.5 * (1 << 30)) and Heap()._limit == preferences().unpacked
    (tmp_path / "home" / "config" / "preferences.json").write_text("{nonsense")
    assert preferences() == Preferences()
    monkeypatch.setattr("customs.files.os.replace", _fails)
    dialog._keep(9.0)
    assert "could not be kept" in dialog.about.text() and preferences() == Preferences()
    dialog.close()


def _fails(*_: object) -> None:
    raise OSError(28, "No space left on device")


@pytest.mark.parametrize("count", [1, 2, 3, 4])
def test_channels_are_shown_one_by_one(count: int) -> None:
    pixels = np.random.default_rng(3).integers(0, 255, (3, 5, count)).astype(np.uint8)
    wanted = {"r": pixels[1, 2, 0], "g": pixels[1, 2, 1 if count > 2 else 0]}
    for channel, value in wanted.items():
        assert channel_image(pixels, channel).pixelColor(2, 1).red() == value
    alpha = pixels[1, 2, -1] if count in (2, 4) else 255
    assert channel_image(pixels, "a").pixelColor(2, 1).blue() == alpha
    assert channel_image(pixels, "rgb").pixelColor(2, 1).alpha() == alpha
