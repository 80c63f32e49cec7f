"""Verdict marks: told apart by shape as well as colour. Ring with tick, diamond with question mark, square
with bar.
"""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QWidget

from customs_desktop.style.theme import colour, font

WORDS = {"cleared": "cleared", "query": "query", "held": "held"}


def draw_mark(painter: QPainter, verdict: str, rect: QRectF) -> None:
    """One mark in `rect` (square)."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    s = rect.width()
    pen = QPen(colour(verdict if verdict in WORDS else "soft"), max(1.4, s * 0.1))
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    painter.setPen(pen)
    r = rect.adjusted(s * 0.08, s * 0.08, -s * 0.08, -s * 0.08)
    x, y = rect.x(), rect.y()
    if verdict == "cleared":
        painter.drawEllipse(r)
        painter.drawPolyline(
            QPolygonF(
                [
                    QPointF(x + s * 0.31, y + s * 0.52),
                    QPointF(x + s * 0.45, y + s * 0.66),
                    QPointF(x + s * 0.70, y + s * 0.37),
                ]
            )
        )
    elif verdict == "query":
        c = rect.center()
        half = s * 0.48
        painter.drawPolygon(
            QPolygonF(
                [
                    QPointF(c.x(), c.y() - half),
                    QPointF(c.x() + half, c.y()),
                    QPointF(c.x(), c.y() + half),
                    QPointF(c.x() - half, c.y()),
                ]
            )
        )
        painter.setPen(colour("query_text"))
        f = font(0, 700)
        f.setPixelSize(max(7, int(s * 0.58)))
        painter.setFont(f)
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, "?")
    elif verdict == "held":
        painter.fillRect(r, colour("held"))
        painter.fillRect(QRectF(x + s * 0.25, y + s * 0.43, s * 0.5, s * 0.15), QColor("#FFFFFF"))
    else:
        painter.drawLine(QPointF(x + s * 0.3, rect.center().y()), QPointF(x + s * 0.7, rect.center().y()))
    painter.restore()


def draw_ring(painter: QPainter, rect: QRectF) -> None:
    """In the place of a mark that is still to come: a ring, part of it drawn stronger."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    width = max(1.6, rect.width() * 0.12)
    r = rect.adjusted(width, width, -width, -width)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for name, first, share in (("rule", 0, 360), ("teal", 90, -110)):
        painter.setPen(QPen(colour(name), width))
        painter.drawArc(r, first * 16, share * 16)
    painter.restore()


def mark_icon(verdict: str, edge: int = 16) -> QIcon:
    """The same as an icon of so many pixels."""
    pixels = QPixmap(2 * edge, 2 * edge)
    pixels.fill(Qt.GlobalColor.transparent)
    pixels.setDevicePixelRatio(2.0)
    painter = QPainter(pixels)
    draw_mark(painter, verdict, QRectF(0, 0, edge, edge))
    painter.end()
    return QIcon(pixels)


class Mark(QWidget):
    """A mark as a widget."""

    def __init__(self, verdict: str = "", size: int = 17, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.verdict, self._size = verdict, size
        self.setFixedSize(size, size)
        self._name()

    def show_verdict(self, verdict: str) -> None:
        """Change it."""
        self.verdict = verdict
        self._name()
        self.update()

    def _name(self) -> None:
        self.setAccessibleName(self.verdict or "not judged yet")

    def sizeHint(self) -> QSize:
        return QSize(self._size, self._size)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        draw_mark(painter, self.verdict, QRectF(0, 0, self._size, self._size))
        painter.end()
