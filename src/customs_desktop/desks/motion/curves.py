"""The page Curves: what a clip does to one joint, as lines over its frames."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from customs.motion.curves.euler import euler_degrees
from customs.motion.curves.keys import sample
from customs.motion.curves.track import channels_of
from customs.scene.model import Clip, Scene
from customs.scene.transforms import continuous
from customs_desktop.style.theme import colour, font

F64 = npt.NDArray[np.float64]
PATHS = (("rotation", "turn", "°"), ("translation", "place", "m"), ("scale", "scale", "×"))
TONES = ("teal", "query_text", "ink")
SAMPLES = 400


@dataclass(frozen=True, eq=False)
class Lines:
    """One property over time: its title and unit, seconds (T,), values (T, 3), key times (K,)."""

    title: str
    unit: str
    times: F64
    values: F64
    keys: F64


def lines_of(scene: Scene, clip: Clip, joint: str) -> list[Lines]:
    """The properties of a joint a clip moves: turns as angles about X, Y, Z."""
    node = next((i for i, n in enumerate(scene.nodes) if n.name == joint), -1)
    known, out = channels_of(clip), []
    times = np.linspace(0, max(clip.seconds, 1e-6), SAMPLES)
    for path, title, unit in PATHS:
        channel = known.get((node, path))
        if channel is not None:
            values = sample(channel, times)
            values = euler_degrees(continuous(values)) if path == "rotation" else values
            out.append(Lines(title, unit, times, values, channel.times.astype(np.float64)))
    return out


class CurvesPage(QWidget):
    """Draws the lines of one joint in one clip, with the playhead."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[Lines] = []
        self.title = ""
        self.head = 0.0
        self.setAccessibleName("Curves")
        self.setMinimumHeight(140)

    def sizeHint(self) -> QSize:
        return QSize(680, 200)

    def show_lines(self, title: str, lines: list[Lines]) -> None:
        """Take up other lines."""
        self.title, self.lines = title, lines
        self.update()

    def show_head(self, seconds: float) -> None:
        """Put the playhead at a time of the clip."""
        self.head = seconds
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), colour("card"))
        painter.setFont(font(0, 600))
        painter.setPen(colour("ink"))
        painter.drawText(QRectF(12, 4, self.width() - 24, 20), Qt.AlignmentFlag.AlignVCenter, self.title)
        if not self.lines:
            painter.setPen(colour("soft"))
            painter.setFont(font())
            hint = "Pick a joint in the view or under Joints, and a clip in the band."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, hint)
        height = (self.height() - 30) / max(len(self.lines), 1)
        for k, one in enumerate(self.lines):
            self._one(painter, QRectF(100, 28 + k * height, self.width() - 116, height - 6), one)
        painter.end()

    def _one(self, painter: QPainter, box: QRectF, one: Lines) -> None:
        low, high = float(one.values.min()), float(one.values.max())
        room = max(high - low, 1e-6)
        painter.setPen(colour("rule"))
        painter.drawRect(box)
        painter.setFont(font(-1))
        painter.setPen(colour("ink"))
        painter.drawText(QRectF(12, box.y(), 50, box.height()), Qt.AlignmentFlag.AlignVCenter, one.title)
        painter.setPen(colour("soft"))
        for value, flag in ((high, Qt.AlignmentFlag.AlignTop), (low, Qt.AlignmentFlag.AlignBottom)):
            painter.drawText(
                QRectF(40, box.y(), 56, box.height()),
                flag | Qt.AlignmentFlag.AlignRight,
                f"{value:.3g} {one.unit}",
            )
        end = max(float(one.times[-1]), 1e-6)

        def place(t: float, v: float) -> QPointF:
            return QPointF(
                box.x() + t / end * box.width(), box.bottom() - 3 - (v - low) / room * (box.height() - 6)
            )

        for axis in range(one.values.shape[1]):
            path = QPainterPath(place(0.0, float(one.values[0, axis])))
            for t, v in zip(one.times[1:], one.values[1:, axis]):
                path.lineTo(place(float(t), float(v)))
            painter.setPen(
                QPen(
                    colour(TONES[axis % 3]),
                    1.5,
                    (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine)[axis % 3],
                )
            )
            painter.drawPath(path)
            painter.drawText(
                QRectF(box.right() - 18 * (3 - axis), box.y() + 1, 16, 14),
                Qt.AlignmentFlag.AlignCenter,
                "XYZ"[axis % 3],
            )
        painter.setPen(colour("soft"))
        for t in one.keys[:2000]:
            x = box.x() + float(t) / end * box.width()
            painter.drawLine(QPointF(x, box.bottom() - 3), QPointF(x, box.bottom()))
        x = box.x() + min(self.head, end) / end * box.width()
        painter.setPen(QPen(colour("held"), 1.4))
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
