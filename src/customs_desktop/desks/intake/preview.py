"""The view of the desk Intake: what is under the cursor of the heap, before anything is taken."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QPlainTextEdit, QWidget

from customs.picture.camera import Orbit, framing
from customs.picture.look import Look, Shot
from customs.scene.model import Scene
from customs_desktop.player import Player, Stretch
from customs_desktop.session import Session
from customs_desktop.style.theme import colour, font, is_evening, wear
from customs_desktop.widgets.basics import Chips, row, tool

HEAD = 30
Mode = Literal["mesh", "texture", "clip", "text"]
MODES = (("mesh", "Mesh"), ("texture", "Texture"), ("clip", "Clip"), ("text", "Text"))
CHANNELS = (("rgb", "RGB"), ("r", "R"), ("g", "G"), ("b", "B"), ("a", "A"))
CHECK = 12
"""Pixels of a square of the ground under what is see-through."""


@dataclass(frozen=True, eq=False)
class Shown:
    """What a file holds, as far as it can be shown: a scene with its box in its own numbers, pixels (H, W, C)
    uint8, a text; or why nothing of it can.
    """

    place: str
    said: str
    scene: Scene | None = None
    box: tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]] | None = None
    pixels: npt.NDArray[np.uint8] | None = None
    text: str = ""
    problem: str = ""

    def modes(self) -> list[Mode]:
        """The ways it can be looked at."""
        out: list[Mode] = []
        if self.scene is not None:
            out += ["mesh"] if self.box is not None else []
            out += ["clip"] if self.scene.clips else []
        return [*out, *(["texture"] if self.pixels is not None else []), *(["text"] if self.text else [])]  # type: ignore[list-item]


class Preview(QWidget):
    """Draws `Shown`. Emits `step` (by, kind) where a person goes on with the keys."""

    step = pyqtSignal(int, str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setMinimumSize(320, 200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Preview")
        self.shown: Shown | None = None
        self.waiting = ""
        self.mode: Mode = "mesh"
        self.channel = "rgb"
        self.clip = 0
        self.yaw, self.pitch, self.zoom = -32.0, 14.0, 1.0
        self._picture: QPixmap | None = None
        self._grip: QPointF | None = None
        self.player = Player()
        self.player.moved.connect(self._ask)
        self.player.state.connect(self._state)
        self._bar()
        session.painter.painted.connect(self._painted)

    def _bar(self) -> None:
        self.modes = Chips(MODES, across=True)
        self.modes.chosen.connect(self.set_mode)
        self.channels = Chips(CHANNELS, across=True)
        self.channels.show_chosen("rgb")
        self.channels.chosen.connect(self._channel)
        self.play = tool("play", "Play the clip or stop (Space)", self.player.toggle)
        self.pill = row(self.modes, self.play, self.channels, spacing=8)
        self.pill.setParent(self)
        self.pill.setObjectName("pill")
        self.pill.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.pill.layout().setContentsMargins(10, 5, 10, 5)  # type: ignore[union-attr]
        self.text = QPlainTextEdit(self)
        self.text.setReadOnly(True)
        self.text.setAccessibleName("Text of the file")
        self.text.hide()
        self.pill.hide()

    # -- what is shown

    def wait_for(self, place: str) -> None:
        """Something is being read; what was shown stays until it is there."""
        self.waiting = place
        self.update()

    def show_file(self, shown: Shown | None) -> None:
        """Show what a file holds, in the way it was last looked at where it can be."""
        self.shown, self.waiting, self._picture, self.clip = shown, "", None, 0
        self.player.pause()
        modes = shown.modes() if shown is not None else []
        for mode, chip in self.modes.buttons.items():
            chip.setEnabled(mode in modes)
        self.pill.setVisible(bool(modes))
        wanted = self.mode if self.mode in modes else modes[0] if modes else "mesh"
        # A file of clips alone has nothing to show but its motion.
        self.set_mode("clip" if modes[:1] == ["clip"] else wanted)

    def set_mode(self, mode: str) -> None:
        """Mesh, texture, clip or text."""
        self.mode = mode  # type: ignore[assignment]
        self.modes.show_chosen(mode)
        shown = self.shown
        self.play.setVisible(mode == "clip")
        self.channels.setVisible(mode == "texture")
        self.text.setVisible(mode == "text" and shown is not None and bool(shown.text))
        if shown is not None:
            self.text.setPlainText(shown.text if mode == "text" else "")
            for key, chip in self.channels.buttons.items():
                chip.setEnabled(shown.pixels is not None and (key != "a" or shown.pixels.shape[2] in (2, 4)))
        clips = shown.scene.clips if shown is not None and shown.scene is not None else ()
        if mode == "clip" and clips:
            clip = clips[self.clip]
            self.player.show(Stretch(clip.name, 0.0, clip.seconds, clip.name), 30.0)
        else:
            self.player.show(None, 30.0)
        self._place()
        self._ask()

    def next_clip(self, by: int) -> None:
        """The next or previous clip of the file."""
        if self.shown is not None and self.shown.scene is not None and self.shown.scene.clips:
            self.clip = (self.clip + by) % len(self.shown.scene.clips)
            self.set_mode("clip")

    def _channel(self, channel: str) -> None:
        self.channel = channel
        self.update()

    def _state(self) -> None:
        wear(self.play, "pause" if self.player.playing else "play")

    # -- drawing

    def body(self) -> QRectF:
        """Where the picture is."""
        return QRectF(0, HEAD, self.width(), max(self.height() - HEAD, 1))

    def _ask(self) -> None:
        shown, body = self.shown, self.body()
        if shown is not None and shown.scene is not None and self.mode in ("mesh", "clip"):
            ratio = self.devicePixelRatioF()
            low, high = shown.box if shown.box is not None else (np.full(3, -1.0), np.full(3, 1.0))
            unit = shown.scene.convention.metres_per_unit
            aim = Orbit(yaw=self.yaw, pitch=self.pitch)
            orbit = framing(low * unit, high * unit, body.width() / body.height(), aim)
            playing = self.mode == "clip" and shown.scene.clips
            shot = Shot(
                shown.scene,
                orbit.nearer(self.zoom),
                max(int(body.width() * ratio), 2),
                max(int(body.height() * ratio), 2),
                Look(evening=is_evening(), smooth=not self.player.playing),
                self.clip if playing else None,
                self.player.seconds if playing else 0.0,
                unit,
            )
            self.session.painter.ask("preview", shot, shown)
        self.update()

    def _painted(self, slot: str, image: QImage, tag: Any) -> None:
        if slot == "preview" and tag is self.shown:
            self._picture = QPixmap.fromImage(image)
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("view"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        body, shown = self.body(), self.shown
        if shown is not None and self.mode == "texture" and shown.pixels is not None:
            self._texture(painter, body, shown.pixels)
        elif shown is not None and self.mode in ("mesh", "clip") and self._picture is not None:
            painter.drawPixmap(body.toRect(), self._picture)
        if shown is None or shown.problem:
            painter.setPen(colour("held" if shown is not None else "soft"))
            painter.setFont(font(0.5))
            said = shown.problem if shown is not None else "Pick a file in the heap below."
            room = body.adjusted(40, 20, -40, -20)
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, said)
        self._header(painter)
        painter.end()

    def _header(self, painter: QPainter) -> None:
        painter.fillRect(QRectF(0, 0, self.width(), HEAD), colour("paper"))
        painter.setPen(colour("ink"))
        painter.setFont(font(0.5, 700))
        start = 14 + painter.fontMetrics().horizontalAdvance("Preview") + 14
        painter.drawText(QRectF(14, 0, start, HEAD), Qt.AlignmentFlag.AlignVCenter, "Preview")
        painter.setFont(font(0))
        painter.setPen(colour("soft"))
        said = (
            f"reading {self.waiting} …" if self.waiting else self.shown.said if self.shown is not None else ""
        )
        if self.mode == "clip" and self.player.stretch is not None and not self.waiting:
            said += f" · {self.player.stretch.name} · {self.player.seconds:.1f} of {self.player.length:.1f} s"
        room = QRectF(start, 0, self.width() - start - 10, HEAD)
        text = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideMiddle, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)

    def _texture(self, painter: QPainter, body: QRectF, pixels: npt.NDArray[np.uint8]) -> None:
        image = channel_image(pixels, self.channel)
        room = body.adjusted(16, 12, -16, -52)
        scale = min(room.width() / image.width(), room.height() / image.height()) * self.zoom
        width, height = image.width() * scale, image.height() * scale
        place = QRectF(room.center().x() - width / 2, room.center().y() - height / 2, width, height)
        painter.save()
        painter.setClipRect(body)
        painter.fillRect(place, colour("card"))
        painter.setClipRect(place.intersected(body))
        for y in range(int(place.height() // CHECK) + 1):
            for x in range(y % 2, int(place.width() // CHECK) + 1, 2):
                painter.fillRect(
                    QRectF(place.x() + x * CHECK, place.y() + y * CHECK, CHECK, CHECK), colour("rule")
                )
        painter.drawImage(place, image)
        painter.restore()

    # -- hands

    def _place(self) -> None:
        size = self.pill.sizeHint()
        self.pill.setGeometry(
            (self.width() - size.width()) // 2,
            self.height() - size.height() - 12,
            size.width(),
            size.height(),
        )
        self.pill.raise_()
        self.text.setGeometry(0, HEAD, self.width(), max(self.height() - HEAD, 1))
        self.pill.raise_()

    def resizeEvent(self, event: object) -> None:
        self._place()
        self._ask()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._grip = event.position() if event is not None else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._grip is None:
            return
        by, self._grip = event.position() - self._grip, event.position()
        self.turn(-by.x() * 0.45, by.y() * 0.35)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._grip = None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.zoom = min(max(self.zoom * 1.0015 ** event.angleDelta().y(), 0.1), 40)
            self._ask()

    def turn(self, yaw: float, pitch: float) -> None:
        """Turn by degrees."""
        self.yaw, self.pitch = (self.yaw + yaw) % 360, min(max(self.pitch + pitch, -89), 89)
        self._ask()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        keys = {
            Qt.Key.Key_Down: (1, "model"), Qt.Key.Key_Up: (-1, "model"),
            Qt.Key.Key_PageDown: (1, "texture"), Qt.Key.Key_PageUp: (-1, "texture"),
        }  # fmt: skip
        if event is None:
            return
        if event.key() in keys:
            self.step.emit(*keys[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self.next_clip(1 if event.key() == Qt.Key.Key_Right else -1)
        elif event.key() == Qt.Key.Key_Space and self.mode == "clip":
            self.player.toggle()
        else:
            super().keyPressEvent(event)


def channel_image(pixels: npt.NDArray[np.uint8], channel: str) -> QImage:
    """Pixels (H, W, 1..4) uint8 as a picture of all colours, or of one channel in grey."""
    height, width, count = pixels.shape
    colours = pixels[:, :, :3] if count > 2 else np.repeat(pixels[:, :, :1], 3, axis=2)
    alpha = pixels[:, :, -1:] if count in (2, 4) else np.full((height, width, 1), 255, np.uint8)
    if channel == "a":
        colours, alpha = np.repeat(alpha, 3, axis=2), np.full_like(alpha, 255)
    elif channel != "rgb":
        one = "rgb".index(channel)
        colours, alpha = np.repeat(colours[:, :, one : one + 1], 3, axis=2), np.full_like(alpha, 255)
    whole = np.ascontiguousarray(np.concatenate([colours, alpha], axis=2))
    return QImage(whole.data, width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
