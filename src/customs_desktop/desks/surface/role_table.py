"""The role table: materials against roles, with pictures; textures are dragged from cell to cell."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from customs.words import many
from customs_desktop.desks.surface.role_model import ALPHA, RoleModel
from customs_desktop.desks.surface.thumbs import EDGE, Thumbs
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.basics import NameLabel, label, search_field
from customs_desktop.widgets.marks import draw_mark
from customs_desktop.widgets.tables import dressed, head_width

TALL, NAME_WIDTH, CELL_WIDTH, LEAST_WIDTH, ALPHA_WIDTH = 54, 112, 100, 84, 60


class CellPainter(QStyledItemDelegate):
    """A picture, a name over a size, a mark in the corner."""

    def __init__(self, model: RoleModel, thumbs: Thumbs) -> None:
        super().__init__()
        self.model, self.thumbs = model, thumbs

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(span(NAME_WIDTH if index.column() == 0 else CELL_WIDTH), span(TALL, 0.5))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        painter.save()
        rect = option.rect
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.fillRect(rect, colour("teal_soft" if chosen else "stripe" if index.row() % 2 else "card"))
        role, row = self.model.role_at(index.column()), self.model.rows[index.row()]
        if not role:
            self._lines(painter, rect.adjusted(10, 0, -6, 0), row.name, row.about, 600)
            if row.verdict:
                draw_mark(painter, row.verdict, QRectF(rect.right() - 20, rect.top() + 5, 14, 14))
        elif role == ALPHA:
            self._lines(painter, rect.adjusted(8, 0, -4, 0), row.alpha, "", 400)
        else:
            self._cell(painter, rect, index)
        if bool(option.state & QStyle.StateFlag.State_HasFocus):
            painter.setPen(colour("teal"))
            painter.drawRoundedRect(rect.adjusted(1, 1, -2, -2), 4, 4)
        painter.restore()

    def _cell(self, painter: QPainter, rect: object, index: QModelIndex) -> None:
        cell, image = self.model.cell(index), self.model.image(index)
        place = rect.adjusted(5, 5, 0, -5)  # type: ignore[attr-defined]
        place.setWidth(EDGE)
        painter.setPen(colour("rule"))
        if cell is None or image is None:
            painter.setPen(colour("rule"))
            painter.drawRect(place.adjusted(0, 0, -1, -1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for k in range(0, EDGE * 2, 7):
                a, b = min(k, EDGE - 1), max(0, k - EDGE + 1)
                painter.drawLine(place.left() + b, place.top() + a, place.left() + a, place.top() + b)
            return
        picture = self.thumbs.get(image)
        if picture is not None:
            painter.fillRect(place, colour("card"))
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(place, picture)
        else:
            painter.fillRect(place, colour("desk"))
        painter.drawRect(place.adjusted(0, 0, -1, -1))
        about = cell.about
        self._lines(painter, rect.adjusted(EDGE + 11, 0, -3, 0), cell.name, about, 400)  # type: ignore[attr-defined]
        if cell.verdict:
            draw_mark(painter, cell.verdict, QRectF(place.right() - 9, place.top() - 3, 14, 14))

    def _lines(self, painter: QPainter, rect: object, first: str, second: str, weight: int) -> None:
        painter.setFont(font(-0.5, weight))
        painter.setPen(colour("ink"))
        metrics = painter.fontMetrics()
        width, top = rect.width(), rect.top()  # type: ignore[attr-defined]
        shown = metrics.elidedText(first, Qt.TextElideMode.ElideLeft, width)
        y = top + span(24 if second else 32, 0.5)
        painter.drawText(rect.left(), y, shown)  # type: ignore[attr-defined]
        if second:
            painter.setFont(font(-1.5))
            painter.setPen(colour("held" if second in ("missing", "unreadable") else "soft"))
            painter.drawText(
                rect.left(),
                top + span(40, 0.7),
                painter.fontMetrics().elidedText(second, Qt.TextElideMode.ElideRight, width),
            )  # type: ignore[attr-defined]


class Grid(QTableView):
    """Cells that can be dragged; Delete empties one."""

    emptied = pyqtSignal(object)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Delete:
            self.emptied.emit(self.currentIndex())
            return
        super().keyPressEvent(event)


class RoleView(QWidget):
    """The table with a search line over it and the reason of a doubtful cell under it. Emits `chosen` (row,
    role).
    """

    chosen = pyqtSignal(int, str)

    def __init__(self, thumbs: Thumbs) -> None:
        super().__init__()
        self.model = RoleModel()
        self.table = dressed(Grid(), "Roles of textures")
        self.table.setModel(self.model)
        self.painter_ = CellPainter(self.model, thumbs)
        self.table.setItemDelegate(self.painter_)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectItems)
        self.table.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.table.setDragDropOverwriteMode(True)
        self.table.setDefaultDropAction(Qt.DropAction.MoveAction)
        down = self.table.verticalHeader()
        assert down is not None
        down.setDefaultSectionSize(span(TALL, 0.5))
        view = self.table.viewport()
        assert view is not None
        thumbs.ready.connect(view.update)
        picks = self.table.selectionModel()
        assert picks is not None
        picks.currentChanged.connect(self._picked)
        self.count = label("", "soft")
        self.reason = NameLabel(-0.5, 400, "soft")
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(10, 3, 10, 3)
        line.addWidget(search_field("Search materials and textures", "search", self.model.set_search, 150))
        line.addWidget(self.reason, 1)
        line.addWidget(self.count)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(head)
        box.addWidget(self.table, 1)

    def show_table(self, scene, table) -> None:  # type: ignore[no-untyped-def]
        """Show a table, keeping the place."""
        at = self.table.currentIndex()
        row, column = at.row(), at.column()
        bar = self.table.verticalScrollBar()
        where = bar.value() if bar else 0
        self.model.show_table(scene, table)
        self._fit_columns()
        self.count.setText(many(len(self.model.rows), "material"))
        if 0 <= row < len(self.model.rows) and column < self.model.columnCount():
            self.table.setCurrentIndex(self.model.index(row, column))
        if bar is not None:
            bar.setValue(where)

    def _fit_columns(self) -> None:
        """Columns as wide as there is room for, within what can be read."""
        bar = self.table.verticalScrollBar()
        roles = max(self.model.columnCount() - 2, 1)
        room = (
            self.width()
            - (bar.width() if bar is not None and bar.isVisible() else 0)
            - span(NAME_WIDTH)
            - span(ALPHA_WIDTH)
        )
        wide = min(max(room // roles, span(LEAST_WIDTH)), span(CELL_WIDTH))
        for k in range(self.model.columnCount()):
            self.table.setColumnWidth(
                k,
                span(NAME_WIDTH)
                if k == 0
                else span(ALPHA_WIDTH)
                if self.model.role_at(k) == ALPHA
                else max(wide, head_width(self.table, k)),
            )

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Columns follow the room."""
        super().resizeEvent(event)
        self._fit_columns()

    def _picked(self, index: QModelIndex, _: QModelIndex) -> None:
        if not index.isValid():
            return
        role, row, cell = (
            self.model.role_at(index.column()),
            self.model.rows[index.row()],
            self.model.cell(index),
        )
        note = cell.note if cell is not None else row.note if role in ("", ALPHA) else ""
        self.reason.setText(note)
        self.reason.setToolTip(note)
        self.chosen.emit(index.row(), role)

    def pick(self, row: int, role: str) -> None:
        """Put the cursor on a cell."""
        column = self.model.table.columns.index(role) + 1 if role in self.model.table.columns else 0
        self.table.setCurrentIndex(self.model.index(row, column))
