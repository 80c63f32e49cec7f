"""One texture looked at closely: channels, alpha over squares, mip levels, before and after, and colours to
pick.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from customs_desktop.desks.surface.thumbs import as_eight, qimage, thinned
from customs_desktop.style.theme import colour, font

Pixels = npt.NDArray[Any]
LARGEST, SQUARE = 1024, 8
"""Pixels shown at most each way, and the edge of the squares under what is clear."""


def shown(pixels: Pixels, channels: str, clear: bool) -> npt.NDArray[np.uint8]:
    """(H, W, 4) uint8 of the chosen channels: one alone is grey, others not chosen are black. `clear` keeps
    alpha.
    """
    rgba = as_eight(pixels)
    if len(channels) == 1:
        plane = rgba[:, :, "RGBA".index(channels)]
        out = np.dstack([plane, plane, plane, np.full_like(plane, 255)])
        return np.ascontiguousarray(out)
    out = rgba.copy()
    for k, name in enumerate("RGB"):
        if name not in channels:
            out[:, :, k] = 0
    if not clear or "A" not in channels:
        out[:, :, 3] = 255
    return out


class TextureView(QWidget):
    """Shows `before` left of the divider and `after` right of it. Emits `picked` with a colour as #rrggbb."""

    picked = pyqtSignal(str)
    moved = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Texture")
        self.setMinimumHeight(190)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.before: Pixels | None = None
        self.after: Pixels | None = None
        self.channels = "RGBA"
        self.tiles, self.level, self.split, self.zoom = 1, 0, 0.0, 1.0
        self.middle = (0.5, 0.5)
        self.picking = False
        self.owner: object = None
        self.words = ""
        self._pictures: dict[str, QImage] = {}
        self._drag: QPointF | None = None

    # -- what is shown

    def show_texture(self, after: Pixels | None, before: Pixels | None = None, words: str = "") -> None:
        """Show a texture, and what it was; `words` stand where there is none."""
        self.after, self.before, self.words = after, before, words
        self.level = 0
        self._remake()

    def set_channels(self, channels: str) -> None:
        """Show some of R, G, B, A."""
        self.channels = channels or "RGBA"
        self._remake()

    def set_level(self, level: int) -> None:
        """Show a mip level, made by taking every second pixel's mean again and again."""
        self.level = level
        self._remake()

    def set_split(self, share: float) -> None:
        """Where the divider stands: 0 all after, 1 all before."""
        self.split = share
        self.update()

    def set_tiles(self, count: int) -> None:
        """How often it is laid side by side each way."""
        self.tiles = count
        self.update()

    def levels(self) -> int:
        """How many mip levels there are."""
        return max(self.after.shape[:2]).bit_length() if self.after is not None else 1

    def _remake(self) -> None:
        self._pictures = {}
        for name, pixels in (("after", self.after), ("before", self.before)):
            if pixels is not None:
                level = _halved(thinned(pixels, LARGEST), self.level)
                self._pictures[name] = qimage(shown(level, self.channels, True))
        self.update()

    # -- drawing

    def _place(self) -> QRectF:
        """The whole texture's rectangle (one tile) in the widget."""
        after = self._pictures.get("after")
        if after is None:
            return QRectF()
        source = self.after if self.after is not None else np.zeros((1, 1, 1))
        height, width = source.shape[:2]
        scale = min(self.width() / (width * self.tiles), self.height() / (height * self.tiles)) * self.zoom
        w, h = width * scale, height * scale
        x = self.width() / 2 - self.middle[0] * w * self.tiles
        y = self.height() / 2 - self.middle[1] * h * self.tiles
        return QRectF(x, y, w, h)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("desk"))
        place = self._place()
        after, before = self._pictures.get("after"), self._pictures.get("before")
        if after is None:
            painter.setPen(colour("soft"))
            painter.setFont(font(-0.5))
            painter.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.words or "Pick a cell",
            )
            painter.end()
            return
        whole = QRectF(place.x(), place.y(), place.width() * self.tiles, place.height() * self.tiles)
        if "A" in self.channels and len(self.channels) > 1:
            self._squares(painter, whole)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.zoom < 4)
        edge = self.width() * self.split
        for picture, left, right in ((before or after, 0.0, edge), (after, edge, float(self.width()))):
            painter.setClipRect(QRectF(left, 0, right - left, self.height()))
            for r in range(self.tiles):
                for c in range(self.tiles):
                    painter.drawImage(place.translated(c * place.width(), r * place.height()), picture)
        painter.setClipping(False)
        if 0 < self.split < 1:
            painter.fillRect(QRectF(edge - 1, 0, 2, self.height()), colour("teal"))
        painter.end()

    def _squares(self, painter: QPainter, whole: QRectF) -> None:
        """Two greys in turn, for what is clear to be seen."""
        painter.save()
        painter.setClipRect(whole.intersected(QRectF(self.rect())))
        painter.fillRect(whole, colour("card"))
        left, top = max(0, int(whole.left())), max(0, int(whole.top()))
        for y in range(top, min(self.height(), int(whole.bottom()) + 1), SQUARE):
            for x in range(
                left + (SQUARE if (y - top) // SQUARE % 2 else 0),
                min(self.width(), int(whole.right()) + 1),
                SQUARE * 2,
            ):
                painter.fillRect(x, y, SQUARE, SQUARE, colour("rule"))
        painter.restore()

    # -- hands

    def texel(self, at: QPointF) -> tuple[int, int] | None:
        """(row, column) of the pixel under a point of the widget."""
        place = self._place()
        if self.after is None or place.isEmpty():
            return None
        u, v = (at.x() - place.x()) / place.width(), (at.y() - place.y()) / place.height()
        if not (0 <= u < self.tiles and 0 <= v < self.tiles):
            return None
        return int((v % 1) * self.after.shape[0]), int((u % 1) * self.after.shape[1])

    def pick_at(self, at: QPointF) -> str:
        """The colour under a point, as #rrggbb, "" outside."""
        found = self.texel(at)
        if found is None or self.after is None:
            return ""
        r, g, b = as_eight(self.after[found[0] : found[0] + 1, found[1] : found[1] + 1])[0, 0, :3]
        return f"#{r:02x}{g:02x}{b:02x}"

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if self.picking:
            picked = self.pick_at(event.position())
            if picked:
                self.picked.emit(picked)
            return
        self._drag = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self.setCursor(Qt.CursorShape.CrossCursor if self.picking else Qt.CursorShape.ArrowCursor)
        if self._drag is None:
            return
        if self.before is not None and abs(self._drag.x() - self.width() * self.split) < 14:
            self.split = float(np.clip(event.position().x() / max(1, self.width()), 0, 1))
            self.moved.emit(self.split)
        else:
            place, step = self._place(), event.position() - self._drag
            self.middle = (
                self.middle[0] - step.x() / max(1.0, place.width() * self.tiles),
                self.middle[1] - step.y() / max(1.0, place.height() * self.tiles),
            )
        self._drag = event.position()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.zoom, self.middle = 1.0, (0.5, 0.5)
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.zoom = float(np.clip(self.zoom * 1.2 ** (event.angleDelta().y() / 120), 1.0, 64.0))
            self.middle = self.middle if self.zoom > 1 else (0.5, 0.5)
            self.update()
            event.accept()


def _halved(pixels: Pixels, times: int) -> Pixels:
    """Mean of two by two, again and again."""
    for _ in range(times):
        if max(pixels.shape[:2]) < 2:
            break
        height, width = (max(1, n // 2 * 2) for n in pixels.shape[:2])
        p = pixels[:height, :width].astype(np.uint32)
        p = p[0::2] + p[1::2] if height > 1 else p * 2
        p = p[:, 0::2] + p[:, 1::2] if width > 1 else p * 2
        pixels = (p // 4).astype(pixels.dtype)
    return pixels


class Histogram(QWidget):
    """How often each value is there, of the channels chosen."""

    TONES = {"R": "held", "G": "cleared", "B": "teal", "A": "soft"}

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Histogram")
        self.setFixedHeight(46)
        self.counts: dict[str, npt.NDArray[np.int64]] = {}

    def show_pixels(self, pixels: Pixels | None, channels: str = "RGBA") -> None:
        """Count the values of a texture, thinned to what a screen shows."""
        self.counts = {}
        if pixels is not None:
            rgba = as_eight(thinned(pixels, 512))
            names = channels if pixels.shape[2] in (2, 4) else channels.replace("A", "")
            grey = pixels.shape[2] <= 2
            for name in "R" if grey and "A" not in names else names:
                self.counts[name] = np.bincount(rgba[:, :, "RGBA".index(name)].ravel(), minlength=256)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        base = self.height() - 2
        painter.setPen(colour("rule"))
        painter.drawLine(0, base, self.width(), base)
        for name, counts in self.counts.items():
            most = float(np.sort(counts)[-3:].mean()) or 1.0
            tone = colour(self.TONES[name] if len(self.counts) > 1 else "teal")
            tone.setAlpha(120)
            columns = np.linspace(0, 256, self.width() + 1).astype(int)
            for x in range(self.width()):
                value = counts[columns[x] : max(columns[x] + 1, columns[x + 1])].max(initial=0)
                tall = int(min(1.0, (value / most) ** 0.5) * (base - 2))
                if tall:
                    painter.fillRect(x, base - tall, 1, tall, tone)
        painter.end()
