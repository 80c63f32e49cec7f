"""With larger text, and in small windows, nothing that is said is cut off."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import pytest
from PyQt6.QtCore import QRect
from PyQt6.QtGui import QFont, QFontMetrics
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit
from pytestqt.qtbot import QtBot

from customs_desktop.desk import DESKS
from customs_desktop.style import theme
from customs_desktop.views.goods import GoodsDelegate
from customs_desktop.views.view_bar import ViewBar
from customs_desktop.widgets.basics import Chips
from customs_desktop.widgets.tables import head_width
from tests.desktop.conftest import Rig


@pytest.fixture
def text(request: pytest.FixtureRequest, qapp: QApplication) -> Iterator[None]:
    """Text as large as asked for, from before the window is made."""
    usual = QFont(qapp.font())
    larger = QFont(usual)
    larger.setPointSizeF(usual.pointSizeF() * request.param)
    for font in (larger, usual):
        qapp.setFont(font)
        theme.apply(qapp, False)
        if font is larger:
            yield


def cut_off(rig: Rig) -> list[str]:
    """What stands on the open panel and does not fit from side to side."""
    QApplication.processEvents()
    panel = rig.window.panel(rig.window.desk)
    view, inner = panel.viewport(), panel.widget()
    assert view is not None and inner is not None
    out = [f"{rig.window.desk}: {inner.width()} in {view.width()}"] if inner.width() > view.width() else []
    for label in inner.findChildren(QLabel):
        plain = type(label) is QLabel and label.isVisible() and not label.wordWrap() and not label.pixmap()
        if (
            plain
            and "<" not in label.text()
            and label.fontMetrics().horizontalAdvance(label.text()) > label.width() + 2
        ):
            out.append(f"{rig.window.desk}: {label.text()!r}")
    for field in inner.findChildren(QLineEdit):
        number = field.text().replace(".", "").replace("-", "").isdecimal()
        if (
            field.isVisible()
            and number
            and field.fontMetrics().horizontalAdvance(field.text()) > field.width() - 6
        ):
            out.append(f"{rig.window.desk}: field {field.text()!r}")
    return out


@pytest.mark.goods("watering_stork", "bell_lantern")
@pytest.mark.parametrize(
    ("text", "size"), [(1.0, (1024, 700)), (1.0, (1280, 800)), (1.5, (1280, 800))], indirect=["text"]
)
def test_panels_show_all_they_say(text: None, demo: Rig, size: tuple[int, int]) -> None:
    w = demo.window
    w.resize(*size)
    demo.session.select("watering_stork")
    for desk in DESKS.all():
        w.open_desk(desk)
        demo.settle()
        assert cut_off(demo) == []


@pytest.mark.goods("watering_stork")
@pytest.mark.parametrize(
    ("text", "size"), [(1.0, (1024, 700)), (1.0, (1280, 800)), (1.5, (1280, 800))], indirect=["text"]
)
def test_heads_fields_and_what_lies_over_the_view_are_whole(
    text: None, demo: Rig, size: tuple[int, int]
) -> None:
    w = demo.window
    w.resize(*size)
    w.open_desk("surface")
    demo.settle()
    for table in (w.ledger.table, w.panel("surface").roles.table):
        for column in range(table.model().columnCount() - 1):  # type: ignore[union-attr]
            assert table.columnWidth(column) >= head_width(table, column)
    roles = w.panel("surface").roles.table
    assert (
        roles.rowHeight(0)
        >= QFontMetrics(theme.font(-0.5, 600)).height() + QFontMetrics(theme.font(-1.5)).height()
    )
    w.open_desk("dispatch")
    w.deck.open("Names")
    demo.settle()
    names = w.panel("dispatch").names
    line = sorted((x.geometry() for x in (names.find, names.kind, names.pattern, names.take)), key=QRect.left)
    assert all(a.right() < b.left() for a, b in pairwise(line))
    w.open_desk("grounds")
    ruler, bar = w.panel("grounds").ruler, w.twin.findChild(ViewBar)
    demo.wait(lambda: ruler.isVisible())
    assert bar is not None and bar.geometry().right() <= ruler.geometry().left()
    room = ruler.wide - ruler.axis - 8
    assert QFontMetrics(theme.font(-1.0)).horizontalAdvance("10.5 m") <= room


@pytest.mark.goods("watering_stork", "bell_lantern")
def test_in_a_narrow_column_names_of_goods_can_be_read(demo: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    room: dict[str, float] = {}
    monkeypatch.setattr(
        GoodsDelegate, "_line", staticmethod(lambda painter, rect, text: room.update({text: rect.width()}))
    )
    for width in (1024, 1280, 2000):
        demo.window.resize(width, 800)
        demo.window.goods.list.viewport().grab()  # type: ignore[union-attr]
        assert room["Bell lantern"] > demo.window.fontMetrics().horizontalAdvance("Bell lan")


@pytest.mark.parametrize("text", [1.0, 1.5], indirect=True)
def test_a_chosen_chip_shows_all_it_says(text: None, qtbot: QtBot) -> None:
    """What is chosen is written in heavier letters: nothing of it is cut."""
    chips = Chips([("all", "all 1,992"), ("wide", "WWWWWWWW")], across=True)
    qtbot.addWidget(chips)
    chips.resize(chips.sizeHint())
    chips.show()
    for id_, chip in chips.buttons.items():
        chips.show_chosen(id_)
        QApplication.processEvents()
        heavy = QFont(chip.font())
        heavy.setWeight(QFont.Weight(600))
        # 11 pixels of padding and one of border on either side (window.qss).
        assert chip.width() >= QFontMetrics(heavy).horizontalAdvance(chip.text()) + 24, id_
