"""With larger text, and in small windows, nothing that is said is cut off."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import pytest
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QFont, QFontMetrics
from PyQt6.QtWidgets import (
    QAbstractScrollArea,
    QApplication,
    QCheckBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)
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


def cut_off(page: QWidget) -> list[str]:
    """What stands on a page and does not fit: text wider than what bears it, and what lies beyond the edge of a
    page, or of what does not scroll from side to side.
    """
    QApplication.processEvents()
    out = []
    for w in page.findChildren((QLabel, QPushButton, QLineEdit, QCheckBox, QAbstractScrollArea)):
        if w.isVisibleTo(page) and w.window() is page.window():
            out += [why for why in (too_long(w), beyond(w, page)) if why]
    return out


def too_long(w: QWidget) -> str:
    """Text that is wider than its label, button or field (numbers; other fields scroll)."""
    room = w.width() + 2
    if isinstance(w, QLineEdit):
        text, room = w.text(), w.width() - 6
        if not text.replace(".", "").replace("-", "").isdecimal():
            return ""
    elif isinstance(w, QPushButton):
        text, room = w.text().replace("&", ""), w.width() - (0 if w.icon().isNull() else w.iconSize().width())
    elif type(w) is QLabel and not w.wordWrap() and not w.pixmap() and "<" not in w.text():
        text = w.text()
    else:
        return ""
    return f"{text!r} in {w.width()}" if w.fontMetrics().horizontalAdvance(text) > room else ""


def beyond(w: QWidget, page: QWidget) -> str:
    """What lies outside of the page, or of the nearest thing that scrolls."""
    frame = w.parentWidget()
    while frame is not None and frame is not page:
        area = frame.parentWidget()
        if isinstance(area, QAbstractScrollArea) and area.viewport() is frame:
            if area.horizontalScrollBarPolicy() != Qt.ScrollBarPolicy.ScrollBarAlwaysOff:
                return ""
            break
        frame = area
    assert frame is not None
    left, low = w.mapTo(frame, QPoint(0, 0)).x(), w.mapTo(frame, QPoint(0, w.height())).y()
    if left >= 0 and left + w.width() <= frame.width() and (frame is not page or low <= page.height()):
        return ""
    return f"{type(w).__name__} {w.accessibleName() or getattr(w, 'text', str)()!r} {left} + {w.width()} in {frame.width()}, {low} in {page.height()}"


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
        panel = w.panel(desk)
        inner = panel.widget()
        assert inner is not None and (desk, cut_off(inner)) == (desk, [])
        for name, page in panel.pages():
            w.deck.open(name)
            demo.settle()
            assert (desk, name, cut_off(page)) == (desk, name, [])
    for guest, show in (("queue", w.guests.show_queue), ("history", w.guests.show_history)):
        show()
        demo.settle()
        assert (guest, cut_off(getattr(w.guests, guest))) == (guest, [])


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
