"""Two skeletons facing each other, with lines between paired joints; doubtful ones are dashed."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from customs.motion.skeleton.skeleton import Skeleton
from customs.work.motion import Facing
from customs_desktop.style.theme import colour, font, span

NEAR = 9.0


class FacingSkeletons(QWidget):
    """Drag from a joint on the left to one on the right: `paired` tells (arriving, donor); a click tells
    `picked`.
    """

    paired = pyqtSignal(str, str)
    picked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.facing: Facing | None = None
        self.joint = ""
        self._from: tuple[int, QPointF] | None = None
        self.setFixedHeight(206)
        self.setAccessibleName("Donor map")
        self.setToolTip("Drag from a joint on the left to its counterpart on the right")

    def sizeHint(self) -> QSize:
        return QSize(270, 206)

    def show_facing(self, facing: Facing | None) -> None:
        """Take up other skeletons."""
        self.facing, self._from = facing, None
        self.update()

    def spots(self, side: str) -> npt.NDArray[np.float64]:
        """(J, 2) places of the joints of "arriving" or "donor", as they are drawn: seen from the front,
        halves facing.
        """
        assert self.facing is not None
        s: Skeleton = self.facing.arriving if side == "arriving" else self.facing.donor
        # From the side and a little from the front, so that both legs and arms show.
        flat = np.column_stack([s.places[:, 2] + 0.55 * s.places[:, 0], s.places[:, 1]])
        if side == "donor":
            flat[:, 0] *= -1
        size = np.maximum(np.ptp(flat, axis=0), 1e-9)
        box = QRectF(12, span(24), self.width() / 2 - 30, self.height() - span(24) - 10)
        if side == "donor":
            box.translate(self.width() / 2 + 6, 0)
        scale = min(box.width() / size[0], box.height() / size[1])
        middle = (flat.max(axis=0) + flat.min(axis=0)) / 2
        return np.column_stack(
            [
                box.center().x() + (flat[:, 0] - middle[0]) * scale,
                box.center().y() - (flat[:, 1] - middle[1]) * scale,
            ]
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(colour("rule"))
        painter.setBrush(colour("card"))
        painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 5, 5)
        painter.setFont(font(-1))
        painter.setPen(colour("soft"))
        painter.drawText(QRectF(10, 5, span(90), span(16)), Qt.AlignmentFlag.AlignLeft, "arriving")
        painter.drawText(
            QRectF(self.width() - 10 - span(90), 5, span(90), span(16)), Qt.AlignmentFlag.AlignRight, "donor"
        )
        if self.facing is not None:
            mine, theirs = self.spots("arriving"), self.spots("donor")
            self._links(painter, mine, theirs)
            self._bones(painter, self.facing.arriving, mine)
            self._bones(painter, self.facing.donor, theirs)
            if self._from is not None:
                painter.setPen(QPen(colour("teal"), 2))
                painter.drawLine(QPointF(*mine[self._from[0]]), self._from[1])
        painter.end()

    def _links(
        self, painter: QPainter, mine: npt.NDArray[np.float64], theirs: npt.NDArray[np.float64]
    ) -> None:
        assert self.facing is not None
        a, b = self.facing.arriving.names, self.facing.donor.names
        for p in self.facing.pairs:
            on = p.arriving == self.joint
            tone = colour("query" if p.doubtful else "teal")
            tone.setAlpha(255 if on or p.doubtful else 90)
            painter.setPen(
                QPen(tone, 2 if on else 1, Qt.PenStyle.DashLine if p.doubtful else Qt.PenStyle.SolidLine)
            )
            painter.drawLine(QPointF(*mine[a.index(p.arriving)]), QPointF(*theirs[b.index(p.donor)]))

    def _bones(self, painter: QPainter, skeleton: Skeleton, spots: npt.NDArray[np.float64]) -> None:
        painter.setPen(QPen(colour("ink"), 2))
        for k in range(skeleton.count):
            if skeleton.parent[k] >= 0:
                painter.drawLine(QPointF(*spots[k]), QPointF(*spots[skeleton.parent[k]]))
        painter.setPen(QPen(colour("ink"), 1.2))
        for k, (x, y) in enumerate(spots):
            painter.setBrush(colour("teal" if skeleton.names[k] == self.joint else "card"))
            painter.drawEllipse(QPointF(x, y), 3.2, 3.2)

    def _near(self, side: str, at: QPointF) -> int:
        if self.facing is None:
            return -1
        spots = self.spots(side)
        off = np.hypot(spots[:, 0] - at.x(), spots[:, 1] - at.y())
        return int(off.argmin()) if len(off) and off.min() < NEAR else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        k = self._near("arriving", event.position()) if event is not None else -1
        if k >= 0 and event is not None and self.facing is not None:
            self._from = (k, event.position())
            self.joint = self.facing.arriving.names[k]
            self.picked.emit(self.joint)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if self._from is not None and event is not None:
            self._from = (self._from[0], event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._from is None or event is None or self.facing is None:
            return
        k, start = self._near("donor", event.position()), self._from[0]
        self._from = None
        self.update()
        if k >= 0:
            self.paired.emit(self.facing.arriving.names[start], self.facing.donor.names[k])
