"""The plan from above on squared paper: cells with a letter and a hatch for each area, the mirror axis as a dash-dot line."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from customs.changes.plot import NONE, Footprint
from customs.work.plotting import Cell, Letters, Tool, given, met
from customs_desktop.style.theme import colour, font

HATCHES = (
    Qt.BrushStyle.BDiagPattern, Qt.BrushStyle.FDiagPattern, Qt.BrushStyle.HorPattern, Qt.BrushStyle.VerPattern,
    Qt.BrushStyle.CrossPattern, Qt.BrushStyle.DiagCrossPattern, Qt.BrushStyle.Dense6Pattern,
)  # fmt: skip
"""By the number of the area: never told apart by colour alone."""
LETTERED = 18.0
"""Side of a cell (pixels) from which its letter is written into it."""


class PlanGrid(QWidget):
    """Emits `drawn` with (R, C) letters when a hand has let go."""

    drawn = pyqtSignal(object)

    def __init__(self, read_only: bool = False) -> None:
        super().__init__()
        self.read_only = read_only
        self.ground: Footprint | None = None
        self.letters: Letters = np.full((0, 0), NONE)
        self.areas: tuple[str, ...] = ()
        self.tool: Tool = "brush"
        self.letter = NONE
        self.mirrored = True
        self._way: list[Cell] = []
        self.setMinimumHeight(120)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Plot")
        if not read_only:
            self.setCursor(Qt.CursorShape.CrossCursor)

    def sizeHint(self) -> QSize:
        return QSize(500, 200)

    def show_plot(self, ground: Footprint | None, letters: Letters, areas: tuple[str, ...]) -> None:
        """Show another plot."""
        self.ground, self.letters, self.areas, self._way = ground, letters, areas, []
        self.update()

    def side(self) -> float:
        """Pixels a cell is wide."""
        if self.ground is None:
            return 1.0
        rows, columns = self.ground.inside.shape
        return max(min((self.width() - 24) / columns, (self.height() - 24) / rows, 40.0), 1.0)

    def corner(self) -> QPointF:
        """Where the grid begins."""
        assert self.ground is not None
        rows, columns = self.ground.inside.shape
        return QPointF((self.width() - columns * self.side()) / 2, (self.height() - rows * self.side()) / 2)

    def cell_at(self, place: QPointF) -> Cell:
        """(row, column) under a place; it may lie beyond the grid."""
        at = (place - self.corner()) / self.side()
        return int(np.floor(at.y())), int(np.floor(at.x()))

    def middle_of(self, cell: Cell) -> QPointF:
        """The middle of a cell."""
        return self.corner() + QPointF(cell[1] + 0.5, cell[0] + 0.5) * self.side()

    def shown(self) -> Letters:
        """The letters, with what a hand is about to give."""
        if self.ground is None or not self._way:
            return self.letters
        cells = met(self.tool, self.letters, self.ground.inside, self._way)
        return given(self.letters, self.ground.inside, cells, self.letter, self.mirrored)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if self.ground is None:
            painter.setPen(colour("soft"))
            painter.setFont(font())
            painter.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignCenter,
                "No plot is asked for there, or nothing has a footprint.",
            )
            painter.end()
            return
        side, corner, letters = self.side(), self.corner(), self.shown()
        rows, columns = letters.shape
        for r, c in np.argwhere(self.ground.inside | (letters != NONE)).tolist():
            self._cell(
                painter,
                QRectF(corner.x() + c * side, corner.y() + r * side, side, side),
                letters[r, c],
                bool(self.ground.inside[r, c]),
            )
        painter.setPen(QPen(colour("rule"), 1))
        lines = [
            QLineF(corner.x(), corner.y() + r * side, corner.x() + columns * side, corner.y() + r * side)
            for r in range(rows + 1)
        ]
        lines += [
            QLineF(corner.x() + c * side, corner.y(), corner.x() + c * side, corner.y() + rows * side)
            for c in range(columns + 1)
        ]
        painter.drawLines(lines)
        painter.setPen(QPen(colour("teal"), 1.4, Qt.PenStyle.DashDotLine))
        x = corner.x() + columns * side / 2
        painter.drawLine(QPointF(x, corner.y() - 8), QPointF(x, corner.y() + rows * side + 8))
        painter.setPen(colour("soft"))
        painter.setFont(font(-0.5))
        painter.drawText(
            QRectF(8, self.height() - 20, 200, 18), Qt.AlignmentFlag.AlignVCenter, "the front is below"
        )
        painter.end()

    def _cell(self, painter: QPainter, box: QRectF, letter: str, inside: bool) -> None:
        painter.fillRect(box, colour("card" if inside else "paper"))
        if letter == NONE:
            return
        number = self.areas.index(letter) if letter in self.areas else len(HATCHES) - 1
        tone = colour("teal" if inside and letter in self.areas else "held")
        painter.fillRect(box, QBrush(tone, HATCHES[number % len(HATCHES)]))
        if self.side() >= LETTERED:
            small = QRectF(box.center().x() - 6, box.center().y() - 7, 12, 14)
            painter.fillRect(small, colour("card"))
            painter.setPen(colour("ink"))
            painter.setFont(font(-1, 600))
            painter.drawText(small, Qt.AlignmentFlag.AlignCenter, letter)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.ground is not None and not self.read_only:
            self._way = [self.cell_at(event.position())]
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._way:
            self._way.append(self.cell_at(event.position()))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if not self._way:
            return
        letters, self._way = self.shown(), []
        if (letters != self.letters).any():
            self.letters = letters
            self.drawn.emit(letters)
        self.update()
