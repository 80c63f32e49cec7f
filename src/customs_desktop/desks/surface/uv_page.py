"""Texture coordinates of the picked material: their layout, what overlaps, and how fine the texture lies."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QLinearGradient, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from customs.geometry.texcoords import flipped, overlapping
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.ledger.density import density
from customs.picture.look import USUAL_DENSITY
from customs.picture.uv_map import Window, island_at, uv_picture, window_of
from customs.scene.model import Scene
from customs.surface.pixels import pixels_or_none
from customs.words import many
from customs_desktop.desks.surface.thumbs import as_eight, qimage
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.basics import label
from customs_desktop.worker import Task

SIZE = 512


@dataclass(frozen=True)
class UVFacts:
    """Counts by the UV set that is drawn, the density in pixels a metre (0 without a texture), faces of the
    picked islands.
    """

    faces: int
    outside: int
    mirrored: int
    overlapping: int
    density: float
    bare: int
    texcoord: int
    picked: int


@dataclass(frozen=True, eq=False)
class Drawn:
    """A layout with its figures, and what is needed to say what lies under a point of it."""

    figures: UVFacts
    picture: QImage
    window: Window


def uv_facts(scene: Scene, material: int, point: tuple[float, float] | None = None) -> Drawn:
    """The figures of a material and the picture of its layout, with the islands under `point` picked."""
    prims = [p for m in scene.meshes for p in m.primitives if p.material == material]
    m = scene.materials[material]
    use = m.textures.get("base_colour") or m.textures.get("diffuse") or next(iter(m.textures.values()), None)
    ground = pixels_or_none(scene.images[use.image]) if use is not None else None
    coord = use.texcoord if use is not None else 0
    window = window_of(prims, coord)
    picked = island_at(prims, coord, *point) if point is not None else {}
    picture = uv_picture(prims, SIZE, None if ground is None else as_eight(ground), coord, window, picked)
    rgba = np.dstack([picture, np.full(picture.shape[:2], 255, np.uint8)])
    sets = [(p.texcoords[coord], triangles_of(p)) for p in prims if coord < len(p.texcoords)]
    sets = [(uv, faces) for uv, faces in sets if len(faces) and np.isfinite(uv).all()]
    outside = sum(
        int(((uv < -1e-5) | (uv > 1 + 1e-5)).any(axis=1)[faces].any(axis=1).sum()) for uv, faces in sets
    )
    figures = UVFacts(
        sum(len(triangles_of(p)) for p in prims),
        outside,
        sum(int(flipped(*s).sum()) for s in sets),
        sum(int(overlapping(*s).sum()) for s in sets),
        density(scene).get(material, 0.0),
        sum(len(triangles_of(p)) for p in prims if coord >= len(p.texcoords)),
        coord,
        sum(int(mask.sum()) for mask in picked.values()),
    )
    return Drawn(figures, qimage(rgba), window)


class UVPage(QWidget):
    """The picture and the figures beside it."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.scene: Scene | None = None
        self.material = -1
        self.figures: UVFacts | None = None
        self.layout_ = Picture()
        self.layout_.pressed.connect(self._pick)
        self.point: tuple[float, float] | None = None
        self.lines = [label("", "", -0.5, wrap=True) for _ in range(7)]
        self.scale = Scale()
        side = QWidget()
        box = QVBoxLayout(side)
        box.setContentsMargins(12, 10, 12, 10)
        for line in self.lines:
            box.addWidget(line)
        box.addWidget(self.scale)
        box.addWidget(
            label("Texel density as a colour map: choose it under What is shown.", "soft", -1, wrap=True)
        )
        box.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.layout_, 1)
        area = QScrollArea()
        area.setWidget(side)
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole.addWidget(area, 1)

    def show_scene(self, scene: Scene) -> None:
        """Another scene; the picked material stays."""
        self.scene = scene
        self._ask()

    def show_material(self, index: int) -> None:
        """Another material."""
        if index != self.material:
            self.material, self.point = index, None
            self._ask()

    def _pick(self, u: float, v: float) -> None:
        self.point = (u, v)
        self._ask()

    def showEvent(self, event: object) -> None:
        self._ask()

    def _ask(self) -> None:
        scene, index = self.scene, self.material
        if scene is None or not self.isVisible():
            return
        if not 0 <= index < len(scene.materials):
            index = 0

        point = self.point

        def done(found: Drawn) -> None:
            if self.scene is scene:
                self._show(found.figures, scene.materials[index].name)
                self.layout_.show_picture(found.picture, found.window)

        def run(job: Job) -> Drawn:
            return uv_facts(scene, index, point)

        if not scene.materials:
            self.figures = None
            for line in self.lines:
                line.setText("")
            self.layout_.show_picture(QImage(), Window(0.0, 0.0, 1.0))
            self.scale.show_density(0.0)
        else:
            self.session.worker.submit(Task(3, key="uv", title="UVs", run=run, done=done))

    def _show(self, facts: UVFacts, name: str) -> None:
        self.figures = facts
        texts = (
            f"{name}: {many(facts.faces, 'face')}, UV set {facts.texcoord}", f"{facts.bare:,} without UVs",
            f"{many(facts.outside, 'face')} outside 0..1", f"{many(facts.mirrored, 'face')} mirrored (drawn in red)",
            f"{many(facts.overlapping, 'face')} on top of others", f"{facts.density:,.0f} px/m" if facts.density else "no texture to measure",
            f"{many(facts.picked, 'face')} picked (drawn in gold)" if facts.picked else "Press on an island to pick it.",
        )  # fmt: skip
        for line, text in zip(self.lines, texts):
            line.setText(text)
        self.scale.show_density(facts.density)


class Picture(QWidget):
    """A square picture as large as there is room. Emits `pressed` with the texture coordinate under the
    pointer.
    """

    pressed = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.picture = QImage()
        self.window_ = Window(0.0, 0.0, 1.0)
        self.setAccessibleName("UV layout")
        self.setMinimumWidth(150)

    def show_picture(self, picture: QImage, window: Window) -> None:
        """Show another, of that square of texture space."""
        self.picture, self.window_ = picture, window
        self.update()

    def _square(self) -> QRectF:
        edge = min(self.width(), self.height()) - 12
        return QRectF((self.width() - edge) / 2, (self.height() - edge) / 2, edge, edge)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Pick what lies there."""
        square = self._square()
        if event is None or self.picture.isNull() or not square.contains(event.position()):
            return
        place = event.position() - square.topLeft()
        self.pressed.emit(*self.window_.uv(place.x(), place.y(), int(square.width())))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("desk"))
        square = self._square()
        if not self.picture.isNull() and square.width() > 0:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(square, self.picture)
        painter.end()


class Scale(QWidget):
    """The colours of the density map with their figures, and where the picked material lies."""

    OCTAVES = 3

    def __init__(self) -> None:
        super().__init__()
        self.density = 0.0
        self.setFixedHeight(26 + span(18))
        self.setAccessibleName("Scale of texel density")

    def show_density(self, density_: float) -> None:
        """Mark a density (pixels a metre; 0 for none)."""
        self.density = density_
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        wide = self.width() - 2
        ramp = QLinearGradient(0, 0, wide, 0)
        for at, tone in ((0.0, "#27696b"), (0.5, "#e8e4da"), (1.0, "#b4371f")):
            ramp.setColorAt(at, QColor(tone))
        painter.fillRect(QRectF(1, 10, wide, 12), ramp)
        painter.setFont(font(-1.5))
        painter.setPen(colour("soft"))
        for k in range(-self.OCTAVES, self.OCTAVES + 1, self.OCTAVES):
            x = (k / self.OCTAVES + 1) / 2 * wide
            text = f"{USUAL_DENSITY * 2**k:,.0f}"
            room = span(60)
            place = QRectF(min(max(x - room / 2, 0), wide - room), 24, room, span(16))
            side = (
                Qt.AlignmentFlag.AlignLeft
                if k < 0
                else Qt.AlignmentFlag.AlignRight
                if k > 0
                else Qt.AlignmentFlag.AlignHCenter
            )
            painter.drawText(place, side, text + (" px/m" if k > 0 else ""))
        if self.density > 0:
            x = (np.clip(np.log2(self.density / USUAL_DENSITY) / self.OCTAVES, -1, 1) + 1) / 2 * wide
            painter.fillRect(QRectF(x, 5, 2, 22), colour("ink"))
        painter.end()
