"""How the cells of the ledger and its counts are drawn."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import (
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from customs.ledger.ledger import effective
from customs.ledger.row import Row
from customs_desktop.style.theme import colour, font
from customs_desktop.widgets.marks import draw_mark
from customs_desktop.widgets.tables import ROW


class RowDelegate(QStyledItemDelegate):
    """Draws the mark in the first column and a button in the last. Emits `pressed` with the row."""

    pressed = pyqtSignal(object)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(100, ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        r = index.data(Qt.ItemDataRole.UserRole)
        if painter is None or not isinstance(r, Row):
            return
        last = index.column() == (index.model().columnCount() - 1)  # type: ignore[union-attr]
        # What the view has told of the cell is enough: asking the model for more took longer than drawing it.
        option.state &= ~QStyle.StateFlag.State_HasFocus
        if index.column() == 0:
            mark = QRectF(option.rect.x() + 8, option.rect.center().y() - 7.5, 16, 16)
            self._ground(painter, option)
            draw_mark(painter, effective(r), mark)
            self._text(painter, option, index, 32)
        elif last and r.remedy is not None and effective(r) != "cleared":
            self._ground(painter, option)
            self._button(painter, self.button_rect(option, r.remedy.label), r.remedy.label)
        else:
            self._ground(painter, option)
            self._text(painter, option, index, 8)

    @staticmethod
    def _ground(painter: QPainter, option: QStyleOptionViewItem) -> None:
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, colour("teal_soft"))
        elif option.features & QStyleOptionViewItem.ViewItemFeature.Alternate:
            painter.fillRect(option.rect, colour("stripe"))

    @staticmethod
    def _text(painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex, indent: int) -> None:
        painter.save()
        tone = index.data(Qt.ItemDataRole.ForegroundRole)
        painter.setPen(tone if tone is not None else colour("ink"))
        painter.setFont(index.data(Qt.ItemDataRole.FontRole) or font())
        rect = QRectF(option.rect).adjusted(indent, 0, -4, 0)
        text = str(index.data(Qt.ItemDataRole.DisplayRole) or "").replace("\n", " ")
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(rect.width()))
        painter.drawText(rect, Qt.AlignmentFlag.AlignVCenter, shown)
        painter.restore()

    @staticmethod
    def button_rect(option: QStyleOptionViewItem, text: str) -> QRectF:
        """Where the remedy's button is."""
        from PyQt6.QtGui import QFontMetricsF

        width = min(QFontMetricsF(font(0, 600)).horizontalAdvance(text) + 26, option.rect.width() - 10)
        return QRectF(option.rect.x() + 6, option.rect.y() + 3, width, option.rect.height() - 6)

    @staticmethod
    def _button(painter: QPainter, rect: QRectF, text: str) -> None:
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("teal"), 1.3))
        painter.setBrush(colour("card"))
        painter.drawRoundedRect(rect, rect.height() / 2, rect.height() / 2)
        painter.setFont(font(0, 600))
        painter.setPen(colour("teal"))
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(rect.width() - 14))
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, shown)
        painter.restore()

    def editorEvent(
        self, event: QEvent | None, model: object, option: QStyleOptionViewItem, index: QModelIndex
    ) -> bool:
        r = index.data(Qt.ItemDataRole.UserRole)
        last = index.column() == (index.model().columnCount() - 1)  # type: ignore[union-attr]
        if (
            isinstance(event, QMouseEvent)
            and event.type() == QEvent.Type.MouseButtonRelease
            and last
            and isinstance(r, Row)
        ):
            if r.remedy is not None and self.button_rect(option, r.remedy.label).contains(event.position()):
                self.pressed.emit(r)
                return True
        return False


class CellDelegate(QStyledItemDelegate):
    """Draws a verdict and what is delivered."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(90, ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        RowDelegate._ground(painter, option)
        verdict = index.data(Qt.ItemDataRole.UserRole)
        indent = 8
        if isinstance(verdict, str):
            draw_mark(painter, verdict, QRectF(option.rect.x() + 8, option.rect.center().y() - 7, 15, 15))
            indent = 29
        RowDelegate._text(painter, option, index, indent)


class CountButton(QPushButton):
    """A verdict with its count; pressing shows or hides those rows."""

    def __init__(self, verdict: str) -> None:
        super().__init__()
        self.verdict, self.number, self.words = verdict, 0, True
        self.setMinimumWidth(44)
        self.setCheckable(True)
        self.setChecked(True)
        self.setProperty("kind", "flat")
        self.setToolTip(f"Show or hide rows that are {verdict}")
        self.setFont(font(0, 600))

    def show_number(self, number: int) -> None:
        """Change the count."""
        self.number = number
        self._words()

    def show_words(self, on: bool) -> None:
        """With the word, or with the number alone where there is little room."""
        if on != self.words:
            self.words = on
            self._words()

    def _words(self) -> None:
        self.setText(f"       {self.number} {self.verdict}" if self.words else f"       {self.number}")

    def paintEvent(self, event: object) -> None:
        super().paintEvent(event)  # type: ignore[arg-type]
        painter = QPainter(self)
        painter.setOpacity(1.0 if self.isChecked() else 0.35)
        draw_mark(painter, self.verdict, QRectF(7, self.height() / 2 - 8, 16, 16))
        painter.end()
