"""The chosen opening over the right half: its rim, and the way out of it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from customs.grounds.openings import Opening
from customs.picture.camera import project
from customs.scene.model import Scene
from customs_desktop.style.theme import colour
from customs_desktop.views.twin_paint import Over

ARROW = 0.6
"""Metres of the arrow that points out."""


class OpeningOverlay:
    """Draws on the half that shows the scene the opening was chosen in."""

    def __init__(self) -> None:
        self.opening: Opening | None = None
        self.scene: Scene | None = None

    def paint(self, painter: QPainter, over: Over) -> None:
        """Its rim and its way out."""
        o = self.opening
        if o is None or over.scene is not self.scene:
            return
        places = corners_of(o)
        tip = o.sill + o.frame[:, 1] * (o.height / 2 if o.upright else 0)
        places = np.concatenate([places, [tip, tip + o.out * ARROW]])
        rect = over.rect
        flat = project(places, over.orbit, max(int(rect.width()), 2), max(int(rect.height()), 2)) + [
            rect.x(),
            rect.y(),
        ]
        if not np.isfinite(flat).all():
            return
        points = [QPointF(x, y) for x, y in flat.tolist()]
        painter.save()
        painter.setClipRect(rect)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("on_teal"), 4.5))
        painter.drawPolygon(QPolygonF(points[:4]))
        painter.drawLine(points[4], points[5])
        painter.setPen(QPen(colour("teal"), 2.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolygon(QPolygonF(points[:4]))
        painter.drawLine(points[4], points[5])
        painter.setBrush(colour("teal"))
        painter.drawEllipse(points[5], 4, 4)
        painter.restore()

    def paint_scale(self, painter: QPainter, rect: QRectF) -> None:
        """An opening has none."""


def corners_of(o: Opening) -> np.ndarray:
    """(4, 3) metres of its rim."""
    across, up = o.frame[:, 0] * o.width / 2, o.frame[:, 1] * o.height
    low = o.sill if o.upright else o.sill - up / 2
    return np.array([low - across, low + across, low + across + up, low - across + up])
