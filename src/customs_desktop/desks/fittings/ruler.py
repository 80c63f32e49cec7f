"""The distance ruler: a segment a level with its triangles; borders are dragged, a segment is pressed to be seen."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from customs.work.fittings import LevelRow
from customs_desktop.style.theme import colour, font, span

SIDE, BAND, NEAR = 14.0, 22.0, 6.0
"""Room at both ends, height of the segments, how near a border is taken hold of (pixels)."""


class LevelRuler(QWidget):
    """Metres from left to right, tenfold by tenfold. Emits `moved` (level, metres) when a border was dragged, `asked` (level)
    when a segment is pressed.
    """

    moved = pyqtSignal(int, float)
    asked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[LevelRow, ...] = ()
        self.level = 0
        self._held = -1
        self._at = 0.0
        self.setMouseTracking(True)
        self.setMinimumHeight(span(64, 0.5))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Distances of levels")

    def sizeHint(self) -> QSize:
        return QSize(600, span(64, 0.5))

    def show_rows(self, rows: tuple[LevelRow, ...]) -> None:
        """Show other levels."""
        self.rows, self._held = rows, -1
        self.level = min(self.level, max(len(rows) - 1, 0))
        self.update()

    def _ends(self) -> list[float]:
        ends = [r.until for r in self.rows]
        if self._held >= 0:
            ends[self._held] = self._at
        return ends

    def _scale(self) -> tuple[float, float]:
        """The logarithms of the metres at both ends."""
        least = math.log10(max(self.rows[0].until, 1e-3)) - 1
        return least, max(math.log10(max(self.rows[-1].until, 1e-2)), least + 1)

    def x_of(self, metres: float) -> float:
        """Where a distance stands (pixels)."""
        low, high = self._scale()
        share = (math.log10(max(metres, 1e-9)) - low) / (high - low)
        return SIDE + min(max(share, 0.0), 1.0) * (self.width() - 2 * SIDE)

    def metres_at(self, x: float) -> float:
        """The distance at a place."""
        low, high = self._scale()
        return float(10 ** (low + (x - SIDE) / max(self.width() - 2 * SIDE, 1) * (high - low)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.rows:
            painter.setPen(colour("soft"))
            painter.setFont(font())
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "No levels yet: press Make levels on the right."
            )
            painter.end()
            return
        top, x, free = self.height() - BAND - 6, SIDE, 0.0
        ends = self._ends()
        for k, (r, end) in enumerate(zip(self.rows, ends)):
            right = self.x_of(end)
            box = QRectF(x + 1, top, max(right - x - 2, 2), BAND)
            tone = colour("teal")
            tone.setAlphaF(1.0 if k == self.level else max(0.5 - 0.12 * k, 0.14))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(tone)
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(colour("card" if k == self.level else "ink"))
            painter.setFont(font(-0.5, 600))
            # A narrow segment says its number alone.
            text = f"LOD {k} · {r.triangles:,} tri"
            if painter.fontMetrics().horizontalAdvance(text) > box.width() - 6:
                text = str(k)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            free = self._figure(painter, right, top, end, k == len(self.rows) - 1, free)
            x = right
        self._marker(painter, top, ends)
        if self.hasFocus():
            painter.setPen(QPen(colour("teal"), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))
        painter.end()

    def _figure(
        self, painter: QPainter, x: float, top: float, metres: float, last: bool, free: float
    ) -> float:
        """A distance over its border, unless the one before it, which ends at `free`, is in its way; where it ends."""
        painter.setPen(colour("soft"))
        painter.setFont(font(-0.5))
        text = metres_text(metres)
        wide = painter.fontMetrics().horizontalAdvance(text)
        at = min(x - wide / 2, self.width() - wide - 4) if not last else self.width() - wide - 4
        painter.drawLine(QPointF(x, top - 4), QPointF(x, top))
        if at < free:
            return free
        painter.drawText(QRectF(at, top - 20, wide + 2, 16), Qt.AlignmentFlag.AlignCenter, text)
        return at + wide + 6

    def _marker(self, painter: QPainter, top: float, ends: list[float]) -> None:
        """A wedge over the level that is shown."""
        left = SIDE if self.level == 0 else self.x_of(ends[self.level - 1])
        x = (left + self.x_of(ends[self.level])) / 2
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("held"))
        painter.drawPolygon(
            QPolygonF([QPointF(x - 5, top - 9), QPointF(x + 5, top - 9), QPointF(x, top - 2)])
        )

    def border_at(self, x: float) -> int:
        """The level whose end lies under a place, −1 for none."""
        near = [k for k, r in enumerate(self.rows) if abs(self.x_of(r.until) - x) <= NEAR]
        return near[0] if near else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.rows:
            return
        x = event.position().x()
        self._held = self.border_at(x)
        if self._held >= 0:
            self._at = self.rows[self._held].until
            return
        metres = self.metres_at(x)
        self.look_at(next((k for k, r in enumerate(self.rows) if metres < r.until), len(self.rows) - 1))

    def look_at(self, level: int) -> None:
        """Show another level."""
        self.level = level
        self.asked.emit(level)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.rows:
            return
        if self._held >= 0:
            before = self.rows[self._held - 1].until if self._held else 0.0
            after = self.rows[self._held + 1].until if self._held + 1 < len(self.rows) else 1e9
            self._at = min(max(self.metres_at(event.position().x()), before * 1.02 + 1e-3), after * 0.98)
            self.update()
        over = self.border_at(event.position().x()) >= 0 or self._held >= 0
        self.setCursor(Qt.CursorShape.SplitHCursor if over else Qt.CursorShape.PointingHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, self._held = self._held, -1
        if held >= 0 and self._at != self.rows[held].until:
            self.moved.emit(held, round(self._at, 3))


def metres_text(metres: float) -> str:
    """A distance as it is read."""
    return f"{metres:,.4g} m" if metres < 1000 else f"{metres:,.0f} m"
