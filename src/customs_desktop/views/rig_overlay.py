"""Joints over the twin view, and the scale of a weight map."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPen

from customs.motion.posing.posing import posing
from customs.motion.skeleton.skeleton import Skeleton, skeleton_of
from customs.picture.camera import Orbit, project
from customs.picture.heat import ramp
from customs.scene.model import Scene
from customs_desktop.style.theme import colour, font
from customs_desktop.views.twin_paint import Over


class RigOverlay:
    """What is drawn over the pictures: bones as lines, joints as dots, the picked joint filled."""

    def __init__(self) -> None:
        self.joint = ""
        self.show_joints = True
        self.scale = False
        self._spots: dict[int, tuple[tuple[Any, ...], Any]] = {}
        self._skeletons: dict[int, tuple[Scene, Skeleton]] = {}

    def skeleton(self, scene: Scene) -> Skeleton:
        """The scene's skeleton, kept for the last few scenes."""
        known = self._skeletons.get(id(scene))
        if known is None or known[0] is not scene:
            if len(self._skeletons) > 6:
                self._skeletons.clear()
            known = self._skeletons[id(scene)] = (scene, skeleton_of(scene))
        return known[1]

    def places(self, scene: Scene, clip: int | None, seconds: float, unit: float) -> Any:
        """(J, 3) where the joints are, in metres."""
        s = self.skeleton(scene)
        return (
            posing(scene, None if clip is None else scene.clips[clip]).world(seconds)[list(s.nodes), :3, 3]
            * unit
        )

    def _flat(
        self, rect: QRectF, orbit: Orbit, scene: Scene, clip: int | None, seconds: float, unit: float
    ) -> Any:
        """(J, 2) where the joints are in the picture (pixels), kept until the picture changes: the view is
        painted more often.
        """
        size = (int(rect.width()), int(rect.height()))
        key = (scene, orbit, clip, seconds, unit, size)
        known = self._spots.get(id(scene))
        if known is None or known[0] != key:
            if len(self._spots) > 4:
                self._spots.clear()
            known = self._spots[id(scene)] = (
                key,
                project(self.places(scene, clip, seconds, unit), orbit, *size),
            )
        return known[1]

    def paint(self, painter: QPainter, over: Over) -> None:
        """Bones and joints of one half."""
        rect, orbit, scene, clip, seconds, unit = over
        if not self.show_joints or not scene.skins:
            return
        s = self.skeleton(scene)
        flat = self._flat(rect, orbit, scene, clip, seconds, unit)
        there = np.isfinite(flat).all(axis=1).tolist()
        spots = [
            QPointF(rect.x() + x, rect.y() + y) if ok else None for (x, y), ok in zip(flat.tolist(), there)
        ]
        painter.save()
        painter.setClipRect(rect)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("ink"), 2.0))
        for k in range(s.count):
            a, b = spots[k], spots[int(s.parent[k])] if s.parent[k] >= 0 else None
            if a is not None and b is not None:
                painter.drawLine(a, b)
        painter.setPen(QPen(colour("ink"), 1.4))
        for k, spot in enumerate(spots):
            if spot is not None:
                picked = s.names[k] == self.joint
                painter.setBrush(colour("teal" if picked else "card"))
                painter.drawEllipse(spot, 5.0 if picked else 3.4, 5.0 if picked else 3.4)
        painter.restore()

    def joint_at(
        self,
        rect: QRectF,
        orbit: Orbit,
        scene: Scene,
        clip: int | None,
        seconds: float,
        unit: float,
        at: QPointF,
    ) -> str:
        """The name of the joint under the pointer, or ""."""
        if not scene.skins or not self.show_joints:
            return ""
        flat = self._flat(rect, orbit, scene, clip, seconds, unit)
        off = np.hypot(flat[:, 0] + rect.x() - at.x(), flat[:, 1] + rect.y() - at.y())
        off = np.where(np.isfinite(off), off, np.inf)
        return self.skeleton(scene).names[int(off.argmin())] if len(off) and off.min() < 9 else ""

    def paint_scale(self, painter: QPainter, rect: QRectF) -> None:
        """The colours of the weight map with their figures."""
        if not self.scale or not self.joint:
            return
        bar = QRectF(rect.right() - 42, rect.y() + 26, 12, 90)
        fade = QLinearGradient(bar.bottomLeft(), bar.topLeft())
        for k in range(6):
            rgb = ramp(np.array(k / 5)) ** (1 / 2.2)
            fade.setColorAt(k / 5, QColor.fromRgbF(*(float(v) for v in rgb)))
        painter.setPen(colour("ink"))
        painter.setBrush(fade)
        painter.drawRect(bar)
        painter.setFont(font(-0.5, 600))
        for text, y in (("1.0", bar.top()), ("0.5", bar.center().y()), ("0", bar.bottom())):
            painter.drawText(
                QRectF(bar.x() - 36, y - 9, 30, 18),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                text,
            )
        painter.drawText(
            QRectF(bar.right() - 208, bar.top() - 24, 212, 18), Qt.AlignmentFlag.AlignRight, self.joint
        )
