"""The frame of a picture over the view: what it takes in, and whether the view stands where it is taken from."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from customs.picture.camera import Orbit
from customs.picture.icon import ANGLES, frame_on
from customs.scene.model import Scene
from customs.scene.wishes import PictureWish
from customs.sheet.fittings import PictureRules
from customs_desktop.style.theme import colour, font
from customs_desktop.views.twin_paint import Over

NEAR = 0.5
"""Degrees the view may be turned away and still stands where the picture is taken from."""


class FrameOverlay:
    """Frames the scene it was told of, by its outermost points."""

    def __init__(self) -> None:
        self.scene: Scene | None = None
        self.points: npt.NDArray[np.float64] = np.zeros((0, 3))
        self.wish, self.rules = PictureWish(), PictureRules()

    def tell(
        self,
        scene: Scene | None,
        points: npt.NDArray[np.float64],
        wish: PictureWish,
        rules: PictureRules,
    ) -> None:
        """Frame another picture."""
        self.scene, self.points, self.wish, self.rules = scene, points, wish, rules

    def turned(self, orbit: Orbit) -> bool:
        """True where a camera looks from elsewhere than the picture is taken from."""
        yaw, pitch = self.wish.turn if self.wish.turn is not None else ANGLES[self.wish.angle]
        off = abs((orbit.yaw - yaw + 180) % 360 - 180)
        return off > NEAR or abs(orbit.pitch - pitch) > NEAR

    def paint(self, painter: QPainter, over: Over) -> None:
        """The frame, what is outside it paler; dashed where the view is turned away."""
        rect, orbit, scene, *_ = over
        if scene is not self.scene or not len(self.points) or self.wish.text:
            return
        x, y, w, h = frame_on(
            self.points,
            orbit,
            (max(int(rect.width()), 2), max(int(rect.height()), 2)),
            (self.rules.width, self.rules.height),
            self.wish.margin,
        )
        if not np.isfinite([x, y, w, h]).all():
            return
        box = QRectF(rect.x() + x, rect.y() + y, w, h)
        painter.save()
        painter.setClipRect(rect)
        around = QPainterPath()
        around.addRect(rect)
        hole = QPainterPath()
        hole.addRect(box)
        veil = colour("view")
        veil.setAlphaF(0.6)
        painter.fillPath(around.subtracted(hole), veil)
        away = self.turned(orbit)
        painter.setPen(QPen(colour("teal"), 1.6, Qt.PenStyle.DashLine if away else Qt.PenStyle.SolidLine))
        painter.drawRect(box)
        self._say(painter, rect, box, away)
        painter.restore()

    def paint_scale(self, painter: QPainter, rect: QRectF) -> None:
        """A frame has none."""

    def _say(self, painter: QPainter, rect: QRectF, box: QRectF, away: bool) -> None:
        text = f"{self.rules.name} {self.rules.width} × {self.rules.height}"
        text += " · not taken from here" if away else ""
        painter.setFont(font(-0.5, 500))
        wide = painter.fontMetrics().horizontalAdvance(text) + 16
        x = min(max(box.left() + 6, rect.left() + 4), rect.right() - wide - 4)
        y = max(box.top(), rect.top()) + 6
        card = QRectF(x, y, wide, 22)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(colour("rule"))
        painter.setBrush(colour("card"))
        painter.drawRoundedRect(card, 4, 4)
        painter.setPen(colour("ink"))
        painter.drawText(card, Qt.AlignmentFlag.AlignCenter, text)
