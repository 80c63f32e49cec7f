"""A sheet learned in the window: keys taken and left, used and undone; and the editor that shows what a rule does."""

from __future__ import annotations

import shutil
import tomllib
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QTextCursor

from customs.demo.accepted import write_accepted
from customs.sheet.schema import sheet_keys
from customs.work.places import sheets_folder
from customs_desktop.sheet_form import as_toml
from tests.desktop.conftest import Rig


@pytest.fixture(scope="module")
def unknown(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_accepted(tmp_path_factory.mktemp("unknown")).parent


@pytest.mark.goods("hedgehog")
def test_learned_taken_left_used_and_undone(demo: Rig, unknown: Path) -> None:
    w, s = demo.window, demo.session
    w.guests.learn_from([unknown / "accepted"])
    page = w.guests.learning
    demo.wait(lambda: page.learned is not None and page.learned.sheet is not None)
    assert "0 of 5 packages held by it" in page.told.text() and page.goods.rowCount() == 5
    by_key = {f.key: i for i, f in enumerate(page.found)}
    row = by_key["mesh.max_vertices"]
    assert page.keys.item(row, 0).checkState() == Qt.CheckState.Unchecked  # type: ignore[union-attr]
    page.keys.item(row, 0).setCheckState(Qt.CheckState.Checked)  # type: ignore[union-attr]
    demo.wait(lambda: page.learned is not None and "max_vertices" in tomllib.loads(page.learned.text)["mesh"])
    page.keys.item(by_key["names.material"], 0).setCheckState(Qt.CheckState.Unchecked)  # type: ignore[union-attr]
    demo.wait(
        lambda: page.learned is not None and "material" not in tomllib.loads(page.learned.text)["names"]
    )
    page.id.setText("metre-yup-pbr")
    page.save.click()
    assert "already" in page.told.text() and s.sheet.id == "metre-yup-pbr"
    page.id.setText("found-out")
    page.save.click()
    demo.settle()
    assert s.sheet.id == "found-out" and (sheets_folder() / "found-out.toml").is_file()
    assert s.sheet.model.footing == "base-centre" and s.sheet.names.material == "{name}"
    assert not w.deck.guests and "Learn" not in [n for n, _ in w.deck.pages]
    s.undo()
    demo.settle()
    assert s.sheet.id == "metre-yup-pbr"


@pytest.mark.goods("hedgehog")
def test_packages_of_several_destinations_are_asked_about(demo: Rig, unknown: Path, tmp_path: Path) -> None:
    w = demo.window
    mixed = tmp_path / "mixed"
    shutil.copytree(unknown / "accepted", mixed)
    odd = mixed / "odd"
    odd.mkdir()
    (odd / "odd.obj").write_text("o odd\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    w.guests.learn_from([mixed])
    page = w.guests.learning
    demo.wait(lambda: page.group.isVisible())
    assert page.group.count() == 3 and not page.save.isEnabled()
    page.group.setCurrentIndex(1)
    page.group.activated.emit(1)
    demo.wait(lambda: page.learned is not None and page.learned.sheet is not None)
    assert len(page.learned.examples) == 5  # type: ignore[union-attr]
    w.open_desk("surface")
    assert "Learn" in [n for n, _ in w.deck.pages], "it stays while desks change"
    w.guests.learn_from([tmp_path / "nowhere"])
    demo.wait(lambda: "there is no such folder" in page.told.text())


@pytest.mark.goods("hedgehog", "bell_lantern")
def test_the_editor_shows_what_a_rule_does(demo: Rig) -> None:
    editor = demo.window.tickets.edit_sheet("metre-yup-pbr")
    demo.wait(lambda: "0 of 2 would be held" in editor.effect.text())
    form = editor.form
    form.find.setText("edge")
    assert {k.path for k in form.keys} >= {"textures.max_edge", "textures.min_edge"} and len(form.keys) < 12
    at = next(i for i, k in enumerate(form.keys) if k.path == "textures.max_edge")
    form.table.setCurrentCell(at, 1)
    assert (
        "the longest edge" in form.told.text()
        and "in px" in form.told.text()
        and "at most 16384" in form.told.text()
    )
    form.table.item(at, 1).setText("64")  # type: ignore[union-attr]
    demo.wait(
        lambda: (
            "2 of 2 would be held (0 now)" in editor.effect.text() and "Texture edge" in editor.effect.text()
        )
    )
    assert "[textures]\nmax_edge = 64\n" in editor.text.toPlainText()
    form.table.item(at, 1).setText("a lot")  # type: ignore[union-attr]
    assert "Line 11" in editor.problem.text() and not editor.save.isEnabled() and not editor.effect.text()
    editor.text.undo()
    demo.wait(lambda: editor.save.isEnabled())
    assert "max_edge = 64" in editor.text.toPlainText()
    cursor = editor.text.textCursor()
    cursor.movePosition(QTextCursor.MoveOperation.End)
    editor.text.setTextCursor(cursor)
    editor.text.insertPlainText("\n[rig]\nclips = ")
    offer = editor.completion
    assert offer.offered() == ["required", "allowed", "forbidden"]
    editor.text.insertPlainText('"forbidden"\nmax_j')
    assert offer.word() == "max_j" and "max_joints" in offer.offered() and "max_edge" not in offer.offered()
    offer._take("max_joints")
    editor.text.insertPlainText(" = 12\n")
    demo.wait(lambda: editor.save.isEnabled() and "max_joints = 12" in editor.text.toPlainText())
    editor.close()


def test_what_is_typed_without_quotes() -> None:
    keys = {k.path: k for k in sheet_keys()}
    for path, text, told in (
        ("rig.clips", "forbidden", '"forbidden"'), ("mesh.welded", "true", "true"), ("names.allowed", 'a"b', '"a\\"b"'), ("textures.max_edge", "64", "64"),
        ("textures.formats", '["png"]', '["png"]'), ("model.format", '"glb"', '"glb"'), ("rig.rate", "", ""),
    ):  # fmt: skip
        assert as_toml(keys[path], text) == told, path
