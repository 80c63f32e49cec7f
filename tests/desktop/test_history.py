"""The page History, copies of a shipment and hands on the goods, in the real window."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QLineEdit, QMenu

from customs.shipment.file import Shipment
from tests.desktop.conftest import Rig


def labels(rig: Rig) -> list[str]:
    shown = rig.window.guests.history.list
    return [shown.item(k).text().partition("\n")[0] for k in range(shown.count())]  # type: ignore[union-attr]


def said(rig: Rig, text: str) -> bool:
    return any(text in told for told, _ in rig.said)


def test_decisions_with_pictures_and_a_way_to_each(small: Rig, tmp_path: Path) -> None:
    w, s = small.window, small.session
    small.settle()
    small.wait(lambda: len(w.goods.model.pictures) == 2)
    first = s.state.goods[0]
    s.set_step("scale", factor=2.0)
    small.settle()
    page, shipment = w.guests.history, s.shipment
    assert shipment is not None
    w.guests.show_history()
    newest = shipment.decisions()[-1]
    small.wait(lambda: shipment.history.picture(shipment.history.changed(newest)[0]) is not None)
    assert labels(small)[0].startswith("Add a stop") and labels(small)[-1] == "New shipment"
    small.wait(lambda: not page.list.item(0).icon().pixmap(38).toImage().allGray())  # type: ignore[union-attr]
    w.goods.hands.call(first, "Tall block")
    assert labels(small)[0] == f"Rename {first.name}: Tall block" and not page.there.isEnabled()
    page.list.setCurrentRow(len(labels(small)) - 1)
    small.qtbot.keyClick(page.list, Qt.Key.Key_Return)
    assert s.state.goods == () and "not on the way to here" in page.told.text()
    page.list.setCurrentRow(0)
    page.there.click()
    assert s.state.goods[0].name == "Tall block" and s.undo() is None
    assert s.state.goods[0].name == first.name
    page.search.setText("renamE")
    assert labels(small) == [f"Rename {first.name}: Tall block"]
    page.search.setText("")
    small.settle()


def test_goods_renamed_duplicated_copied_and_taken_out(small: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    w, s = small.window, small.session
    small.settle()
    hands, view = w.goods.hands, w.goods.list
    w.menus.actions["Rename …"].trigger()
    field = view.findChild(QLineEdit)
    assert field is not None and field.text() == s.state.goods[0].name
    field.setText("A pot")
    small.qtbot.keyClick(field, Qt.Key.Key_Return)
    small.wait(lambda: s.state.goods[0].name == "A pot")
    hands.call(s.state.goods[0], "x" * 200)
    assert "no name" in small.said[-1][0]
    view.selectAll()
    w.menus.actions["Duplicate"].trigger()
    assert len(s.state.goods) == 4 and s.current == s.state.goods[1].id and s.state.goods[1].name == "A pot 2"
    small.settle()
    view.selectAll()
    w.menus.actions["Copy as text"].trigger()
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    lines = clipboard.text().splitlines()
    assert (
        len(lines) == 5 and lines[1].startswith("A pot\t") and s.results[s.current].ledger.verdict in lines[2]
    )
    # The menu of several: no entry that is for one alone.
    asked: list[list[str]] = []

    def chosen(menu: QMenu, place: object) -> object:
        asked.append([a.text() for a in menu.actions()])
        return next((a for a in menu.actions() if a.text() == "Take out of the shipment"), None)

    monkeypatch.setattr(QMenu, "exec", chosen)
    view.clearSelection()
    for k in (1, 3):
        view.selectionModel().select(w.goods.model.index(k), view.selectionModel().SelectionFlag.Select)  # type: ignore[union-attr]
    hands.menu(view.visualRect(w.goods.model.index(1)).center())
    assert asked == [["Plan 2 routes", "Duplicate", "Copy as text", "Take out of the shipment"]]
    assert len(s.state.goods) == 2
    s.undo()
    assert len(s.state.goods) == 4, "several are one decision"
    small.settle()


def test_copied_packed_unpacked_and_opened_again(
    small: Rig, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    w, s = small.window, small.session
    small.settle()
    here = s.shipment.path  # type: ignore[union-attr]
    names = iter([tmp_path / "copy", tmp_path / "all.customs", tmp_path / "out.customs"])
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(next(names)), ""))
    w.menus.actions["Save a copy …"].trigger()
    small.wait(lambda: said(small, "A copy with its sources"))
    w.menus.actions["Pack into one file …"].trigger()
    small.wait(lambda: said(small, "all.customs.zip"))
    assert s.shipment is not None and s.shipment.path == here, "the open one stays open"
    w.shipments.drop([tmp_path / "all.customs.zip"])
    small.wait(lambda: s.shipment is not None and s.shipment.path == tmp_path / "out.customs")
    small.settle()
    assert len(s.state.goods) == 2 and all(s.results[a.id].judged for a in s.state.goods)
    menu = QMenu()
    w.shipments.fill_recent(menu)
    assert [a.text().split(" ")[0] for a in menu.actions()[:2]] == ["out", here.stem]
    menu.actions()[1].trigger()
    small.settle()
    assert s.shipment.path == here
    (tmp_path / "broken.customs.zip").write_bytes(b"PK")
    w.shipments.unpack(tmp_path / "broken.customs.zip", tmp_path / "never.customs")
    small.wait(lambda: said(small, "no shipment in one file"))
    assert s.shipment.path == here and not (tmp_path / "never.customs").exists()
    copy = Shipment(tmp_path / "copy.customs")
    assert len(copy.state.goods) == 2
    copy.close()
    w.shipments.fill_recent(menu)
    menu.actions()[-1].trigger()
    w.shipments.fill_recent(menu)
    assert [a.text() for a in menu.actions()] == ["None yet"]
