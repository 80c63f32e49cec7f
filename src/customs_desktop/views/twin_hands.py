"""What a hand does on the twin view: turning, moving, pointing, the divider, a line drawn round something, handles."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QWidget

from customs.picture.camera import Orbit
from customs_desktop.views.handles import Handles
from customs_desktop.views.rig_overlay import RigOverlay
from customs_desktop.views.twin_paint import HEAD
from customs_desktop.views.walker import Walker

if TYPE_CHECKING:
    from customs.picture.pick import Met


class Pointed(NamedTuple):
    """Where a hand pointed: the half, the pixel in its picture of a size, the camera of that."""

    half: str
    x: float
    y: float
    size: tuple[int, int]
    orbit: Orbit


CLICK = 4
"""Pixels the hand may move and still point at one place."""


class Hands(QWidget):
    """The mouse's part of the view; `self` is the view itself."""

    joint_picked = pyqtSignal(str)
    lassoed = pyqtSignal(object)
    beside_met = pyqtSignal(object)
    """What was pointed at in the small picture beside."""
    lasso: QPolygonF | None
    handles: Handles | None
    walker: Walker | None
    pointed: Pointed | None
    """Where what was met last lay."""
    _grip: tuple[QPoint, Qt.MouseButton] | None
    _pressed: tuple[QPoint, Qt.MouseButton] | None
    _wiping: bool

    def joint_under(self, at: QPointF) -> str:
        """The name of the joint at a place of the view, or ""."""
        if not isinstance(self.overlay, RigOverlay):
            return ""
        areas = self.areas()
        for name, half in (("left", self.left), ("right", self.right)):
            if half is not None and name in areas and name in self.pictures and areas[name].contains(at):
                _, orbit, drawn, clip, seconds = self.pictures[name]
                found = self.overlay.joint_at(areas[name], orbit, drawn.scene, clip, seconds, drawn.unit, at)
                if found:
                    return found
        return ""

    def resizeEvent(self, event: object) -> None:
        self.ask(moving=bool(self.pictures))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.walker is None or not self.walker.press(event.key(), True):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.isAutoRepeat():
            return
        if event is None or self.walker is None or not self.walker.press(event.key(), False):
            super().keyReleaseEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self.lasso is not None:
            self.lasso = QPolygonF([event.position()])
            return
        if (
            self.handles is not None
            and (under := self._under())
            and self.handles.grab(*under, event.position())
        ):
            return
        joint = self.joint_under(event.position()) if event.button() == Qt.MouseButton.LeftButton else ""
        if joint:
            self.joint_picked.emit(joint)
            return
        on_divider = self.mode == "wipe" and abs(event.position().x() - self.width() * self.wipe_at) < 10
        self._wiping = on_divider and event.position().y() > HEAD
        self._grip = self._pressed = (event.position().toPoint(), event.button())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.lasso is not None and len(self.lasso):
            self.lasso.append(event.position())
            self.update()
            return
        if event is not None and self.handles is not None and self.handles.held:
            if under := self._under():
                self.handles.drag(*under, event.position())
                self.update()
            return
        if event is None or self._grip is None:
            return
        place = event.position().toPoint()
        if self._wiping:
            self.wipe_at = min(max(place.x() / max(self.width(), 1), 0.0), 1.0)
            self.update()
            return
        step = place - self._grip[0]
        self._grip = (place, self._grip[1])
        shifted = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if self.walker is not None:
            self.walker.turn(step.x() * 0.25, step.y() * 0.2)
        elif self._grip[1] != Qt.MouseButton.LeftButton or shifted:
            height = max(self.height() - HEAD, 1)
            self.pan = (self.pan[0] - step.x() / height, self.pan[1] + step.y() / height)
        else:
            self.yaw = (self.yaw - step.x() * 0.45) % 360
            self.pitch = min(max(self.pitch + step.y() * 0.35, -89), 89)
        self.ask(moving=True)

    def _under(self) -> tuple[QRectF, Orbit] | None:
        """Where the right half is drawn, and the camera its picture was made with."""
        rect, picture = self.areas().get("right"), self.pictures.get("right")
        return (rect, picture.orbit) if rect is not None and picture is not None else None

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self.handles is not None and self.handles.held:
            self.handles.drop()
            return
        pressed, wiping = self._pressed, self._wiping
        self._grip, self._pressed, self._wiping = None, None, False
        clicked = pressed is not None and not wiping and pressed[1] == Qt.MouseButton.LeftButton
        if event is not None and pressed is not None and clicked:
            if (event.position().toPoint() - pressed[0]).manhattanLength() < CLICK:
                self.ask_under(event.position())
        if self.lasso is not None and len(self.lasso) > 2:
            outline, self.lasso = self.lasso, None
            self.lassoed.emit(outline)
            self.update()

    def ask_under(self, at: QPointF) -> None:
        """What is shown at a place of the view; the session says what was met there."""
        areas, orbits = self.areas(), self.orbits()
        name = "left" if "left" in areas and at.x() < self._border() else "right"
        name = "beside" if "beside" in areas and areas["beside"].contains(at) else name
        half, rect = self.halves()[name], areas.get(name)
        if half is None or rect is None or name not in orbits or not rect.contains(at):
            return
        size = (max(int(rect.width()), 2), max(int(rect.height()), 2))
        shot = self._shot(name, half, orbits[name], size)
        where = Pointed(name, at.x() - rect.x(), at.y() - rect.y(), size, orbits[name])
        self.session.painter.ask_under(f"under {name}", shot, int(where.x), int(where.y), (half, where))

    def _border(self) -> float:
        return self.width() * (0.5 if self.mode == "twin" else self.wipe_at if self.mode == "wipe" else 0.0)

    def _met(self, slot: str, found: Met | None, tag: tuple[object, Pointed]) -> None:
        half, self.pointed = tag
        if half is not self.halves().get(slot[6:]):
            return
        if slot == "under beside":
            self.beside_met.emit(found)
            return
        if not isinstance(self.overlay, RigOverlay):  # On the desk Motion the marks are the chosen vertices.
            self.marks = {str(found.key): ()} if found is not None and slot == "under right" else {}
        self.found = (slot[6:], found.words()) if found is not None else ("", "")
        self.session.met.emit(found)
        self.ask()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.frame()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.turn(zoom=1.0015 ** event.angleDelta().y())

    def turn(self, yaw: float = 0, pitch: float = 0, zoom: float = 1.0) -> None:
        """Turn by degrees and come nearer by a factor."""
        self.yaw, self.pitch = (self.yaw + yaw) % 360, min(max(self.pitch + pitch, -89), 89)
        self.zoom = min(max(self.zoom * zoom, 0.05), 60)
        self.ask(moving=True)

    def frame(self) -> None:
        """The whole asset, from where the camera looks."""
        self.zoom, self.pan = 1.0, (0.0, 0.0)
        self.ask()
