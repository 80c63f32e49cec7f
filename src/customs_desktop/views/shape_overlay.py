"""Collision shapes over the twin view: outlines in ink, dashed where they lie behind."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from customs.changes.shapes import shapes_of
from customs.picture.bodies import body_triangles
from customs.picture.camera import Orbit, project
from customs.scene.model import CollisionShape
from customs.scene.tree import world_matrices
from customs_desktop.style.theme import colour, font
from customs_desktop.views.twin_paint import Over

CREASE = 0.95
"""Cosine between two faces below which the edge between them is drawn."""


class ShapeOverlay:
    """Outlines of the shapes of one half; those of the `picked` purpose are drawn strongest, moved by `move` (3,) metres and
    sized by `times` while a hand has hold of them.
    """

    def __init__(self) -> None:
        self.shown = True
        self.picked = ""
        self.said = ""
        self.number = 0
        self.move = np.zeros(3)
        self.times = (1.0, 1.0, 1.0)
        self._edges: dict[int, tuple[CollisionShape, tuple[Any, ...]]] = {}

    def paint(self, painter: QPainter, over: Over) -> None:
        """All shapes the scene holds, where they stand."""
        rect, orbit, scene, _, _, unit = over
        shapes = shapes_of(scene) if self.shown else []
        if not shapes:
            return
        worlds, count = world_matrices(scene), dict[str, int]()
        painter.save()
        painter.setClipRect(rect)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for n, shape in shapes:
            number = count[shape.purpose] = count.get(shape.purpose, -1) + 1
            mine = shape.purpose == self.picked
            self._outline(painter, rect, orbit, shape, worlds[n], unit, mine, mine and number == self.number)
        painter.restore()

    def paint_scale(self, painter: QPainter, rect: QRectF) -> None:
        """Shapes have none."""

    def _outline(
        self,
        painter: QPainter,
        rect: QRectF,
        orbit: Orbit,
        shape: CollisionShape,
        world: Any,
        unit: float,
        strong: bool,
        held: bool,
    ) -> None:
        points, faces, edges, sides = self._known(shape)
        times = np.array(self.times) if held else np.ones(3)
        at = ((points * times) @ world[:3, :3].T + world[:3, 3] + (self.move if held else 0)) * unit
        a, b, c = (at[faces[:, k]] for k in range(3))
        normals = np.cross(b - a, c - a)
        front = np.einsum("ij,ij->i", normals, orbit.eye - a) > 0
        size = np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
        one, two = sides.T
        rim = front[one] != front[two]
        crease = (np.einsum("ij,ij->i", (normals / size)[one], (normals / size)[two]) < CREASE) & ~rim
        flat = project(at, orbit, max(int(rect.width()), 2), max(int(rect.height()), 2)) + [
            rect.x(),
            rect.y(),
        ]
        tone = colour("teal" if strong else "ink")
        for mask, width, dashed in (
            (rim, 2.2 if strong else 1.4, False),
            (crease & front[one], 1.2, False),
            (crease & ~front[one], 1.0, True),
        ):
            pen = QPen(tone, width, Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine)
            painter.setPen(pen)
            ends = flat[edges[mask]].reshape(-1, 4)
            painter.drawLines([QLineF(*e) for e in ends[np.isfinite(ends).all(axis=1)].tolist()])
        if strong and held and self.said:
            self._say(painter, rect, flat)

    def _say(self, painter: QPainter, rect: QRectF, flat: Any) -> None:
        """How much sticks out, at the upper edge of the shape."""
        good = flat[np.isfinite(flat).all(axis=1)]
        if not len(good):
            return
        top = good[int(np.argmin(good[:, 1]))]
        painter.setFont(font(-0.5, 500))
        wide = painter.fontMetrics().horizontalAdvance(self.said) + 18
        x = min(max(float(top[0]) - wide / 2, rect.left() + 4), rect.right() - wide - 4)
        y = min(max(float(top[1]) - 28, rect.top() + 40), rect.bottom() - 30)
        box = QRectF(QPointF(x, y), QPointF(x + wide, y + 22))
        painter.setPen(colour("rule"))
        painter.setBrush(colour("card"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.said)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _known(self, shape: CollisionShape) -> tuple[Any, ...]:
        """Points, faces, edges (E, 2) and the two faces at each (E, 2), kept for the last few shapes."""
        known = self._edges.get(id(shape))
        if known is None or known[0] is not shape:
            if len(self._edges) > 60:
                self._edges.clear()
            known = self._edges[id(shape)] = (shape, edges_of(*body_triangles(shape)))
        return known[1]


def edges_of(points: Any, faces: Any) -> tuple[Any, ...]:
    """(points, faces, edges (E, 2), the faces (E, 2) on both sides of each); an edge with one face has it twice."""
    corners = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]).astype(np.int64)
    face = np.tile(np.arange(len(faces)), 3)
    low, high = corners.min(axis=1), corners.max(axis=1)
    order = np.lexsort((high, low))
    low, high, face = low[order], high[order], face[order]
    first = np.flatnonzero(np.r_[True, (low[1:] != low[:-1]) | (high[1:] != high[:-1])])
    last = np.r_[first[1:], len(low)] - 1
    return (
        points,
        faces,
        np.stack([low[first], high[first]], axis=1),
        np.stack([face[first], face[last]], axis=1),
    )
