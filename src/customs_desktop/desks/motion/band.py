"""The time band: a take on a line of frames, the clips cut out of it as ranges, its rests, its movement."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QLineEdit, QWidget

from customs_desktop.style.theme import colour, colours, font, span

RIGHT = 16
ROWS = (("Received", "one take"), ("Clips", "drag an edge"), ("Rests", "found"), ("Motion", "all joints"))
HANDLE = 7


def left() -> int:
    """Pixels of the column with the names of the rows."""
    return span(92)


def ruler() -> int:
    """Pixels of the line with the frames."""
    return span(20)


LEAST_FRAMES = 1


@dataclass(frozen=True)
class Span:
    """A clip on the band: its name, first and last frame."""

    name: str
    first: float
    last: float


@dataclass(frozen=True, eq=False)
class Strip:
    """What the band shows: the take's name and length in frames, clips, rests (first, last), pace (T,)."""

    take: str
    frames: float
    spans: tuple[Span, ...] = ()
    rests: tuple[tuple[float, float], ...] = ()
    pace: npt.NDArray[np.float64] | None = None


class Band(QWidget):
    """Emits `changed` with all spans once a drag, a rename or a deletion is done; `picked` with a span's
    number (−1 for the take); `sought` with a frame of the take."""

    changed = pyqtSignal(object, str)
    picked = pyqtSignal(int)
    sought = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.strip = Strip("", 0.0)
        self.current = -1
        self.head = 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Time band")
        self.setMinimumHeight(ruler() + 4 * span(30) + 6)
        self.setToolTip(
            "Drag an edge to trim, the middle to move, an empty place to cut a new clip; double-click renames"
        )
        self._drag: tuple[int, str, float, Span] | None = None
        self._name: QLineEdit | None = None
        self._ground: tuple[Strip, tuple[Any, ...], QPixmap] | None = None

    def sizeHint(self) -> QSize:
        return QSize(680, ruler() + 4 * span(34))

    def show_strip(self, strip: Strip) -> None:
        """Take up another take or other clips."""
        self.strip = strip
        self.current = min(self.current, len(strip.spans) - 1)
        self._drag = None
        self.update()

    def show_head(self, frame: float) -> None:
        """Put the playhead at a frame of the take."""
        self.head = frame
        self.update()

    def pick(self, number: int) -> None:
        """Choose a clip, or the take with −1."""
        self.current = number
        self.picked.emit(number)
        self.update()

    # -- places

    def x_of(self, frame: float) -> float:
        """Where a frame lies."""
        return left() + frame / max(self.strip.frames, 1e-9) * (self.width() - left() - RIGHT)

    def frame_of(self, x: float) -> float:
        """The frame at a place, inside the take."""
        share = (x - left()) / max(self.width() - left() - RIGHT, 1)
        return float(np.clip(share, 0, 1)) * self.strip.frames

    def row(self, number: int) -> QRectF:
        """The box of a row."""
        height = (self.height() - ruler() - 4) / len(ROWS)
        return QRectF(left(), ruler() + 2 + number * height, self.width() - left() - RIGHT, height)

    def span_box(self, number: int) -> QRectF:
        """The box of a clip."""
        s, row = self.strip.spans[number], self.row(1)
        a, b = self.x_of(s.first), self.x_of(s.last)
        return QRectF(a, row.y() + 3, max(b - a, 3.0), row.height() - 6)

    def _hit(self, at: QPointF) -> tuple[int, str]:
        for k in [self.current, *range(len(self.strip.spans))]:
            if not 0 <= k < len(self.strip.spans):
                continue
            box = self.span_box(k)
            if not box.adjusted(-HANDLE, 0, HANDLE, 0).contains(at):
                continue
            if abs(at.x() - box.left()) <= HANDLE and abs(at.x() - box.left()) <= abs(at.x() - box.right()):
                return k, "first"
            if abs(at.x() - box.right()) <= HANDLE:
                return k, "last"
            if box.contains(at):
                return k, "whole"
        return -1, ""

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        # While it plays only the playhead moves; what it moves over is painted when it changes.
        seen = (self.current, self.size(), self.devicePixelRatioF(), colours().paper)
        if self._ground is None or self._ground[0] is not self.strip or self._ground[1] != seen:
            self._ground = (self.strip, seen, self._painted())
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawPixmap(0, 0, self._ground[2])
        if self.strip.frames > 0:
            self._head(painter)
        painter.end()

    def _painted(self) -> QPixmap:
        """All but the playhead."""
        ratio = self.devicePixelRatioF()
        out = QPixmap((QSizeF(self.size()) * ratio).toSize())
        out.setDevicePixelRatio(ratio)
        painter = QPainter(out)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), colour("card"))
        if self.strip.frames > 0:
            self._rows(painter)
        else:
            painter.setPen(colour("soft"))
            painter.setFont(font())
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "This asset has no clips.")
        painter.end()
        return out

    def _rows(self, painter: QPainter) -> None:
        self._ruler(painter)
        for k, (name, about) in enumerate(ROWS):
            box = self.row(k)
            painter.setPen(colour("ink"))
            painter.setFont(font(0, 600))
            painter.drawText(
                QRectF(12, box.y(), left() - 16, box.height() / 2 + 3), Qt.AlignmentFlag.AlignBottom, name
            )
            painter.setPen(colour("soft"))
            painter.setFont(font(-1.5))
            painter.drawText(
                QRectF(12, box.y() + box.height() / 2 + 1, left() - 16, box.height() / 2),
                Qt.AlignmentFlag.AlignTop,
                about,
            )
        self._take(painter)
        for k in range(len(self.strip.spans)):
            self._span(painter, k)
        painter.setPen(QPen(colour("query"), 1))
        painter.setBrush(colour("rule"))
        for a, b in self.strip.rests:
            row = self.row(2)
            painter.drawRoundedRect(
                QRectF(self.x_of(a), row.y() + 5, max(self.x_of(b) - self.x_of(a), 3), row.height() - 10),
                3,
                3,
            )
        self._pace(painter)

    def _ruler(self, painter: QPainter) -> None:
        painter.setFont(font(-1))
        wide = self.width() - left() - RIGHT
        step = next(
            s
            for s in (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1500, 3000, 6000, 15000, 1e9)
            if s * wide / self.strip.frames > 44
        )
        for frame in np.arange(0, self.strip.frames + 1e-6, step):
            x = self.x_of(float(frame))
            painter.setPen(colour("soft"))
            painter.drawLine(QPointF(x, 8), QPointF(x, ruler()))
            painter.setPen(colour("ink"))
            painter.drawText(QRectF(x + 3, 3, 60, ruler() - 4), Qt.AlignmentFlag.AlignVCenter, f"{frame:g}")
        painter.setPen(colour("rule"))
        painter.drawLine(QPointF(0, ruler()), QPointF(self.width(), ruler()))

    def _take(self, painter: QPainter) -> None:
        box = self.row(0).adjusted(0, 3, 0, -3)
        painter.setPen(QPen(colour("soft"), 1))
        painter.setBrush(colour("rule"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(colour("ink"))
        painter.setFont(font(0, 500))
        painter.drawText(box.adjusted(8, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter, self.strip.take)
        painter.setPen(colour("soft"))
        text = f"0–{self.strip.frames:.0f}"
        painter.drawText(
            box.adjusted(8, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text
        )

    def _span(self, painter: QPainter, k: int) -> None:
        s, box, on = self.strip.spans[k], self.span_box(k), k == self.current
        painter.setPen(QPen(colour("teal"), 1))
        painter.setBrush(colour("teal") if on else colour("teal_soft"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setBrush(colour("teal"))
        for x in (box.left(), box.right()):
            painter.drawRoundedRect(QRectF(x - 2, box.y() + box.height() * 0.2, 4, box.height() * 0.6), 2, 2)
        inner = box.adjusted(8, 0, -8, 0)
        painter.setPen(colour("on_teal" if on else "ink"))
        painter.setFont(font(0, 600))
        painter.drawText(
            inner,
            Qt.AlignmentFlag.AlignVCenter,
            painter.fontMetrics().elidedText(s.name, Qt.TextElideMode.ElideRight, int(inner.width())),
        )
        text = f"{s.first:.0f}–{s.last:.0f}"
        if inner.width() > painter.fontMetrics().horizontalAdvance(s.name + text) + 14:
            painter.setFont(font(-1))
            painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text)

    def _pace(self, painter: QPainter) -> None:
        pace, row = self.strip.pace, self.row(3)
        if pace is None or not len(pace) or float(pace.max()) <= 0:
            return
        path = QPainterPath()
        high = float(pace.max())
        for k, v in enumerate(np.asarray(pace)[:: max(1, len(pace) // 1200)] / high):
            x = self.x_of(k * max(1, len(pace) // 1200))
            y = row.bottom() - 4 - float(v) * (row.height() - 9)
            path.moveTo(x, y) if k == 0 else path.lineTo(x, y)
        painter.setPen(QPen(colour("teal"), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        painter.setPen(colour("rule"))
        painter.drawLine(QPointF(row.left(), row.bottom() - 3), QPointF(row.right(), row.bottom() - 3))

    def _head(self, painter: QPainter) -> None:
        x = self.x_of(self.head)
        painter.setPen(QPen(colour("held"), 1.6))
        painter.drawLine(QPointF(x, ruler() - 6), QPointF(x, self.height()))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("held"))
        painter.drawPolygon(
            QPolygonF([QPointF(x - 6, ruler() - 13), QPointF(x + 6, ruler() - 13), QPointF(x, ruler() - 4)])
        )

    # -- hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.strip.frames <= 0 or event.button() != Qt.MouseButton.LeftButton:
            return
        at, frame = event.position(), self.frame_of(event.position().x())
        k, part = self._hit(at)
        if k >= 0:
            self.pick(k)
            self._drag = (k, part, frame, self.strip.spans[k])
        elif self.row(1).contains(at):
            start = round(frame)
            spans = (*self.strip.spans, Span(self._free_name(), start, start))
            self.strip = replace(self.strip, spans=spans)
            self.current = len(spans) - 1
            self._drag = (self.current, "new", start, spans[-1])
        else:
            if self.row(0).contains(at):
                self.pick(-1)
            self._drag = (-1, "head", frame, Span("", 0, 0))
            self.sought.emit(frame)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is None:
            part = self._hit(event.position())[1]
            shape = {
                "first": Qt.CursorShape.SizeHorCursor,
                "last": Qt.CursorShape.SizeHorCursor,
                "whole": Qt.CursorShape.OpenHandCursor,
            }
            self.setCursor(shape.get(part, Qt.CursorShape.ArrowCursor))
            return
        k, part, start, old = self._drag
        frame = self.frame_of(event.position().x())
        if part == "head":
            self.sought.emit(frame)
            return
        self.strip = replace(
            self.strip, spans=_with(self.strip.spans, k, self._dragged(old, part, start, frame))
        )
        self.update()

    def _dragged(self, old: Span, part: str, start: float, frame: float) -> Span:
        frame = float(round(frame))
        if part == "first":
            return replace(old, first=min(frame, old.last - LEAST_FRAMES))
        if part == "last":
            return replace(old, last=max(frame, old.first + LEAST_FRAMES))
        if part == "new":
            return replace(old, first=min(start, frame), last=max(start, frame))
        shift = float(np.clip(round(frame - start), -old.first, self.strip.frames - old.last))
        return replace(old, first=old.first + shift, last=old.last + shift)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is None:
            return
        k, part, _, old = self._drag
        self._drag = None
        if part == "head":
            return
        now = self.strip.spans[k]
        if part == "new" and now.last - now.first < 2:
            self.strip = replace(self.strip, spans=self.strip.spans[:k])
            self.current = -1
        elif now != old:
            self.changed.emit(
                self.strip.spans,
                "Cut a clip" if part == "new" else "Trim a clip" if part != "whole" else "Move a clip",
            )
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        k = self._hit(event.position())[0] if event is not None else -1
        if k >= 0:
            self._drag = None
            self.rename(k)

    def rename(self, k: int) -> QLineEdit:
        """A line to type the clip's name in, over its box."""
        line = QLineEdit(self.strip.spans[k].name, self)
        line.setAccessibleName("Name of the clip")
        box = self.span_box(k).toRect()
        line.setGeometry(box.x(), box.y(), max(box.width(), 120), box.height())
        line.selectAll()
        line.show()
        line.setFocus()

        def done() -> None:
            text = line.text().strip()
            line.deleteLater()
            self._name = None
            if text and k < len(self.strip.spans) and text != self.strip.spans[k].name:
                self.changed.emit(
                    _with(self.strip.spans, k, replace(self.strip.spans[k], name=text)), "Rename a clip"
                )

        line.editingFinished.connect(done)
        self._name = line
        return line

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        k, key = self.current, event.key()
        if key == Qt.Key.Key_Delete and 0 <= k < len(self.strip.spans):
            self.current = -1
            self.changed.emit((*self.strip.spans[:k], *self.strip.spans[k + 1 :]), "Take a clip out")
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.sought.emit(self.head + (1 if key == Qt.Key.Key_Right else -1))
        elif key == Qt.Key.Key_F2 and 0 <= k < len(self.strip.spans):
            self.rename(k)
        else:
            super().keyPressEvent(event)

    def _free_name(self) -> str:
        taken, number = {s.name for s in self.strip.spans}, 1
        while f"clip {number}" in taken:
            number += 1
        return f"clip {number}"


def _with(spans: tuple[Span, ...], k: int, new: Span) -> tuple[Span, ...]:
    return (*spans[:k], new, *spans[k + 1 :])
