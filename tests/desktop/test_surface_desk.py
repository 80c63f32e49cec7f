"""The desk Surface as a person uses it: everything is a stop on the route, and everything can be taken
back.
"""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from customs.demo import gulls
from customs.scene.model import Material
from customs.surface.pixels import image_pixels
from customs_desktop.desks.surface.panel import SurfacePanel
from customs_desktop.desks.surface.role_model import ALPHA
from tests.desktop.conftest import Rig

pytestmark = pytest.mark.goods(
    "bell_lantern", "potting_bench", "mosaic_floor", "pane_wall", "fern_bed", "seed_cart"
)


def opened(rig: Rig, asset: str) -> SurfacePanel:
    """The desk open on an asset, its table filled."""
    rig.session.select(asset)
    rig.window.open_desk("surface")
    rig.settle()
    panel = rig.window.panel("surface")
    rig.wait(lambda: panel.scene is not None and panel.scene.name == asset and bool(panel.roles.model.rows))
    return panel


def cell(panel: SurfacePanel, name: str, role: str):  # type: ignore[no-untyped-def]
    """The index of a cell."""
    number = next(i for i, r in enumerate(panel.roles.model.rows) if r.name == name)
    return panel.roles.model.index(number, panel.roles.model.table.columns.index(role) + 1)


def final(rig: Rig, name: str) -> Material:
    """A material at the end of the route."""
    result = rig.session.result
    assert result is not None
    return next(m for m in result.passed[-1].scene.materials if m.name == name)


def settle(rig: Rig, panel: SurfacePanel) -> None:
    """Until the table shows what was evaluated."""
    rig.settle()
    rig.wait(
        lambda: rig.session.result is not None and panel.scene is rig.session.result.at(rig.session.stop)
    )


def drag(panel: SurfacePanel, source, target) -> None:  # type: ignore[no-untyped-def]
    """Drag one cell onto another, as Qt does it: the data of the one dropped on the other."""
    model = panel.roles.model
    assert (
        model.flags(source) & Qt.ItemFlag.ItemIsDragEnabled
        and model.flags(target) & Qt.ItemFlag.ItemIsDropEnabled
    )
    model.dropMimeData(model.mimeData([source]), Qt.DropAction.MoveAction, -1, -1, target)


def test_a_role_is_reassigned_by_drag_a_glow_picked_channels_packed_a_skin_added_and_all_undone(
    demo: Rig,
) -> None:
    panel = opened(demo, "bell_lantern")
    assert demo.session.asset is not None
    before = demo.session.asset.stops
    # a texture from one cell to another
    drag(panel, cell(panel, "Brass frame", "normal"), cell(panel, "Roof copper", "normal"))
    settle(demo, panel)
    assert (
        "normal" in final(demo, "Roof copper").textures
        and "normal" not in final(demo, "Brass frame").textures
    )
    # a glow from a picked colour
    panel.roles.pick(cell(panel, "Bell glass", "base_colour").row(), "base_colour")
    demo.wait(lambda: panel.picked_image is not None and panel.view.owner is panel.picked_image)
    panel.glow.pick.setChecked(True)
    lit = np.argwhere(image_pixels(panel.picked_image)[:, :, 0] > 230)[0]  # type: ignore[arg-type]
    place = panel.view._place()
    height, width = panel.view.after.shape[:2]  # type: ignore[union-attr]
    at = QPointF(
        place.x() + (lit[1] + 0.5) / width * place.width(),
        place.y() + (lit[0] + 0.5) / height * place.height(),
    )
    QTest.mouseClick(panel.view, Qt.MouseButton.LeftButton, pos=at.toPoint())
    settle(demo, panel)
    glow = final(demo, "Bell glass")
    assert "emissive" in glow.textures and glow.emissive == (1.0, 1.0, 1.0) and "glow" in demo.steps()
    # values packed by a pattern
    panel.roles.pick(cell(panel, "Brass frame", "base_colour").row(), "base_colour")
    panel.pack.pattern.setText("R=1 G=roughness B=metallic")
    panel.pack.go.click()
    settle(demo, panel)
    packed = final(demo, "Brass frame").textures["metallic_roughness"]
    scene = demo.session.result.passed[-1].scene  # type: ignore[union-attr]
    assert np.abs(image_pixels(scene.images[packed.image])[0, 0] - np.array([255, 89, 230])).max() <= 1
    # another skin for the roof
    panel.roles.pick(cell(panel, "Roof copper", "base_colour").row(), "base_colour")
    demo.wait(lambda: panel.skins.texture.findText("lantern_roof_winter_c.bmp") >= 0)
    panel.skins.name.setText("winter")
    panel.skins.texture.setCurrentIndex(panel.skins.texture.findText("lantern_roof_winter_c.bmp"))
    panel.skins.go.click()
    settle(demo, panel)
    scene = demo.session.result.passed[-1].scene  # type: ignore[union-attr]
    assert scene.variants == ("plain", "winter")
    # and everything back
    for _ in range(4):
        demo.window.menus.actions["Undo"].trigger()
    settle(demo, panel)
    assert demo.session.asset.stops == before and demo.window.menus.actions["Do again"].isEnabled()


def test_a_missing_texture_is_chosen_among_two_and_its_mark_goes(demo: Rig) -> None:
    panel = opened(demo, "potting_bench")
    slate = cell(panel, "bench_slate", "base_colour")
    assert panel.roles.model.cell(slate).verdict == "held"  # type: ignore[union-attr]
    panel.roles.table.setCurrentIndex(slate)
    assert "2 files may be meant" in panel.roles.reason.text()
    assert [c.image.uri for c in panel.missing.found] == [
        "summer/bench_slate_c.png",
        "winter/bench_slate_c.png",
    ]
    panel.missing.take(panel.missing.found[1])
    settle(demo, panel)
    assert demo.session.result.ledger.verdict != "held"  # type: ignore[union-attr]
    assert panel.roles.model.cell(cell(panel, "bench_slate", "base_colour")).verdict == ""  # type: ignore[union-attr]


def test_the_view_shows_channels_levels_tiles_and_what_it_was(demo: Rig) -> None:
    panel = opened(demo, "mosaic_floor")
    row = next(r for r in demo.session.result.ledger.open() if r.requirement == "green-direction")  # type: ignore[union-attr]
    assert row.remedy is not None and not row.remedy.sure and demo.session.press(row.remedy, ["mosaic_floor"])
    demo.wait(lambda: "green" in demo.steps())
    settle(demo, panel)
    panel.roles.table.setCurrentIndex(cell(panel, "grate", "normal"))
    demo.wait(
        lambda: (
            panel.view.after is not None and panel.view.before is not None and "grate_n" in panel.name.text()
        )
    )
    before, after = panel.view.before, panel.view.after
    assert before is not None and after is not None
    assert (before[:, :, 1] == 255 - after[:, :, 1]).all(), "green was turned over"
    for name in "RBA":
        panel.channels[name].click()
    assert panel.view.channels == "G"
    panel.level.setValue(3)
    assert panel.view._pictures["after"].width() == after.shape[1] // 8
    panel.tile.click()
    assert panel.view.tiles == 2
    panel.wipe.setValue(40)
    assert panel.view.split == 0.4
    panel.differ.click()
    demo.wait(
        lambda: panel.view.after is not after and panel.view.after is not None and panel.view.after.max() > 0
    )
    picture = panel.view.grab().toImage()
    assert picture.width() == panel.view.width()


def test_many_are_set_at_once_and_copied_from_the_first(demo: Rig) -> None:
    panel = opened(demo, "pane_wall")
    demo.window.deck.open("Bulk")
    panel.bulk.search.setText("p*")
    assert sorted(r.name for r in panel.bulk.model.rows) == ["painted iron", "plinth stone"]
    panel.bulk.table.selectAll()
    panel.bulk.kind.setCurrentIndex(panel.bulk.kind.findData("metal"))
    panel.bulk.apply()
    settle(demo, panel)
    assert final(demo, "plinth stone").metallic == final(demo, "painted iron").metallic == 1.0
    panel.bulk.search.setText("")
    panel.bulk.table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
    panel.bulk.table.selectAll()
    assert panel.bulk.picked()[0].name == "old glass"
    panel.bulk.copy()
    settle(demo, panel)
    stone = final(demo, "plinth stone")
    assert stone.alpha_mode == "blend" and stone.name == "plinth stone" and "base_colour" in stone.textures


def test_uvs_and_compression_are_measured(demo: Rig) -> None:
    panel = opened(demo, "mosaic_floor")
    panel.roles.table.setCurrentIndex(cell(panel, "grate", "base_colour"))
    demo.window.deck.open("UV")
    demo.wait(lambda: panel.uv.figures is not None)
    figures = panel.uv.figures
    assert (
        figures is not None and figures.faces == 44 and figures.density == pytest.approx(256 / 0.5, rel=0.05)
    )
    demo.window.deck.open("Roles")
    panel.format._set(form="dds", block="bc1")
    settle(demo, panel)
    demo.wait(lambda: panel.format.form.currentData() == "dds")
    panel.see_compression()
    demo.wait(lambda: "dB" in panel.format.error.text())
    assert 28 < float(panel.format.error.text().split()[0]) < 60 and panel.view.split == 0.5


def test_alpha_kind_and_green_are_stops_of_the_one_material(demo: Rig) -> None:
    panel = opened(demo, "fern_bed")
    panel.roles.table.setCurrentIndex(cell(panel, "fern leaf", "base_colour"))
    panel.alpha._alpha(cutoff=0.3)
    settle(demo, panel)
    assert final(demo, "fern leaf").alpha_cutoff == 0.3 and final(demo, "bed stone").alpha_mode == "opaque"
    panel.alpha._preset("paper")
    settle(demo, panel)
    assert final(demo, "fern leaf").roughness == 0.9
    assert panel.roles.model.role_at(panel.roles.model.columnCount() - 1) == ALPHA


def test_a_detail_is_laid_over_and_the_colour_tinted(demo: Rig) -> None:
    panel = opened(demo, "mosaic_floor")
    panel.roles.table.setCurrentIndex(cell(panel, "grate", "base_colour"))
    key = panel.over.texture.itemData(panel.over.texture.findText("mosaic_diffuse.png"))
    panel.over._detail(texture=key)
    settle(demo, panel)
    assert final(demo, "grate").textures["detail"].scale == (4.0, 4.0)
    panel.over._detail(scale=(6.0, 6.0))
    settle(demo, panel)
    assert final(demo, "grate").textures["detail"].scale == (6.0, 6.0)
    assert demo.row("role-known").verdict == "query", "the destination has no place for a detail of its own"
    panel.over._detail(texture="")
    settle(demo, panel)
    assert "detail" not in final(demo, "grate").textures
    panel.over.tint.setText("amber")
    panel.over.tinted()
    assert any("such as" in text for text, _ in demo.said)
    panel.over.tint.setText("#4a9480")
    panel.over.tinted()
    settle(demo, panel)
    assert "tint" in demo.steps()


def test_suffixes_are_kept_with_an_origin_of_ones_own(demo: Rig) -> None:
    panel = opened(demo, "potting_bench")
    panel.missing.suffixes()
    dialog = panel.missing.dialog
    assert dialog is not None
    dialog.fields["roughness"].setText("rgh, dull")
    dialog.keep()
    settle(demo, panel)
    assert demo.session.asset is not None and demo.session.asset.origin == "metre-yup-own"
    assert demo.session.result.passed[0].scene.suffixes["roughness"] == ("rgh", "dull")  # type: ignore[union-attr]


def test_a_folder_is_searched_for_what_is_missing(demo: Rig, tmp_path, goods) -> None:  # type: ignore[no-untyped-def]
    from customs.demo.textures import brass, encoded

    place = tmp_path / "found"
    place.mkdir()
    (place / "cart_brand.png").write_bytes(encoded(brass(64, 3)[0], "png"))
    panel = opened(demo, "seed_cart")
    assert demo.row("texture-missing").verdict == "held"
    demo.session.jobs.search_folder(place)
    demo.wait(lambda: "find-textures" in demo.steps())
    settle(demo, panel)
    assert demo.row("texture-missing").verdict == "cleared"
    demo.session.jobs.search_folder(tmp_path / "nowhere")
    demo.wait(lambda: any("Nothing in" in text for text, _ in demo.said))


def test_hundreds_of_materials_stay_smooth(rig: Rig, tmp_path) -> None:  # type: ignore[no-untyped-def]
    from customs.demo.many import write

    rig.session.jobs.take_in([write(tmp_path, 500)], None)
    rig.wait(lambda: rig.session.asset is not None)
    rig.settle()
    panel = opened(rig, "seed_library")
    rig.wait(lambda: len(panel.roles.model.rows) == 500)
    started = time.perf_counter()
    panel.roles.model.set_search("seed 04")
    panel.roles.model.set_search("")
    bar = panel.roles.table.verticalScrollBar()
    assert bar is not None
    for k in range(20):
        bar.setValue(bar.maximum() * k // 20)
        panel.roles.table.grab()
    assert len(panel.roles.model.rows) == 500
    assert time.perf_counter() - started < 20, "not stuck; the figures are in benchmarks"


def test_what_lies_beyond_the_core_is_said_and_turned_into_the_nearest_look(rig: Rig, tmp_path: Path) -> None:
    path = tmp_path / "gull_glass.glb"
    path.write_bytes(gulls.FORMS["glass"]())
    rig.session.jobs.take_in([path], None)
    rig.wait(lambda: rig.session.asset is not None)
    rig.settle()
    panel = opened(rig, "gull_glass")
    assert "lit + 3 looks" in panel.roles.model.rows[0].about
    panel.roles.table.setCurrentIndex(cell(panel, "feathers", "base_colour"))
    part = panel.alpha
    rig.wait(lambda: part.material is not None)
    assert "transmission 0.9" in part.beyond.text() and "thickness 0.05" in part.beyond.text()
    part._nearest()
    settle(rig, panel)
    made = final(rig, "feathers")
    assert not made.layers and made.alpha_mode == "blend" and made.base_colour[3] == pytest.approx(0.1)
    assert any(r.text.startswith("transmission") for a in rig.session.result.passed for r in a.remarks)  # type: ignore[union-attr]
    panel.roles.table.setCurrentIndex(cell(panel, "feathers", "base_colour"))
    rig.wait(lambda: not part.beyond.isVisibleTo(panel))
    rig.session.undo()
    rig.settle()
    assert final(rig, "feathers").layers
