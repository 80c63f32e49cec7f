"""Handles over the right half of the view: squares at the ends of three lines, and one in the middle for the plane of the
picture.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen

from customs.picture.camera import FIELD, Orbit, project
from customs_desktop.style.theme import colour, font

LONG = 0.1
"""Length of the lines as a share of how far the eye is."""
SQUARE, NEAR = 9.0, 9.0
"""Side of a square, and how far from its middle it is still met (pixels)."""
FREE, BEYOND = 3, 13.0
"""The number of the middle square, and how far beyond a square its letter stands (pixels)."""


class Handles(QObject):
    """Emits `moved` with metres (3,) since the spot was taken hold of, `dropped` when it is let go."""

    moved = pyqtSignal(object)
    dropped = pyqtSignal()

    def __init__(self, middle: Any) -> None:
        super().__init__()
        self.middle = np.asarray(middle, dtype=float)
        self.move = np.zeros(3)
        self._held = -1
        self._from, self._was = QPointF(), np.zeros(3)

    @property
    def held(self) -> bool:
        """True while a hand has hold of one."""
        return self._held >= 0

    def ends(self, rect: QRectF, orbit: Orbit) -> list[QPointF]:
        """Where the squares of X, Y, Z and the middle are in the view."""
        at = self.middle + self.move
        points = at + np.concatenate([np.eye(3) * LONG * orbit.distance, np.zeros((1, 3))])
        flat = project(points, orbit, max(int(rect.width()), 2), max(int(rect.height()), 2))
        return [QPointF(float(x) + rect.x(), float(y) + rect.y()) for x, y in np.nan_to_num(flat, nan=-1e4)]

    def grab(self, rect: QRectF, orbit: Orbit, at: QPointF) -> bool:
        """Take hold of what lies under a place of the view."""
        ends = self.ends(rect, orbit)
        near = [k for k, end in enumerate(ends) if (end - at).manhattanLength() <= NEAR]
        if near:
            self._held, self._from, self._was = near[0], at, self.move.copy()
        return bool(near)

    def drag(self, rect: QRectF, orbit: Orbit, at: QPointF) -> None:
        """Follow the hand."""
        step = np.array([at.x() - self._from.x(), at.y() - self._from.y()])
        if self._held == FREE:
            right, up = orbit.sides()
            metre = (
                2
                * np.tan(FIELD / 2)
                * float((orbit.eye - self.middle) @ orbit.back())
                / max(rect.height(), 1)
            )
            self.move = self._was + (right * step[0] - up * step[1]) * metre
        else:
            ends = self.ends(rect, orbit)
            way = np.array([ends[self._held].x() - ends[FREE].x(), ends[self._held].y() - ends[FREE].y()])
            share = float(step @ way) / max(float(way @ way), 1.0)
            self.move = self._was.copy()
            self.move[self._held] += share * LONG * orbit.distance
        self.moved.emit(self.move)

    def drop(self) -> None:
        """Let go."""
        self._held = -1
        self.dropped.emit()

    def paint(self, painter: QPainter, rect: QRectF, orbit: Orbit) -> None:
        """Lines, squares and their letters."""
        ends = self.ends(rect, orbit)
        painter.save()
        painter.setClipRect(rect)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(-1, 600))
        for k, end in enumerate(ends):
            painter.setPen(QPen(colour("ink"), 1.4))
            painter.drawLine(ends[FREE], end)
            painter.setBrush(colour("teal" if k == self._held else "card"))
            painter.drawRect(QRectF(end.x() - SQUARE / 2, end.y() - SQUARE / 2, SQUARE, SQUARE))
            if k != FREE:
                way = end - ends[FREE]
                beyond = end + way * (BEYOND / max((way.x() ** 2 + way.y() ** 2) ** 0.5, 1.0))
                box = QRectF(beyond.x() - 8, beyond.y() - 8, 16, 16)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "XYZ"[k])
        painter.restore()
