"""Texture coordinates of the picked material: their layout, what overlaps, and how fine the texture lies."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QLinearGradient, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from customs.geometry.triangles import triangles_of
from customs.ledger.density import density
from customs.ledger.facts import facts_of
from customs.picture.look import USUAL_DENSITY
from customs.picture.uv_map import uv_picture
from customs.route.step import Job
from customs.scene.model import Scene
from customs.surface.pixels import pixels_or_none
from customs_desktop.session import Session
from customs_desktop.style.theme import colour, font
from customs_desktop.widgets.basics import label
from customs_desktop.widgets.thumbs import as_eight, qimage
from customs_desktop.workers import Task

SIZE = 512


@dataclass(frozen=True)
class UVFacts:
    """Counts of faces, and the density in pixels a metre (0 without a texture)."""

    faces: int
    outside: int
    mirrored: int
    overlapping: int
    density: float
    bare: int


def uv_facts(scene: Scene, material: int) -> tuple[UVFacts, QImage]:
    """The figures of a material and the picture of its layout."""
    prims = [p for m in scene.meshes for p in m.primitives if p.material == material]
    m = scene.materials[material]
    use = m.textures.get("base_colour") or m.textures.get("diffuse") or next(iter(m.textures.values()), None)
    ground = pixels_or_none(scene.images[use.image]) if use is not None else None
    coord = use.texcoord if use is not None else 0
    picture = uv_picture(prims, SIZE, None if ground is None else as_eight(ground), coord)
    rgba = np.dstack([picture, np.full(picture.shape[:2], 255, np.uint8)])
    facts = [facts_of(p) for p in prims]
    figures = UVFacts(
        sum(f.faces for f in facts), sum(f.outside_square for f in facts), sum(int(f.uv_flipped.sum()) for f in facts),
        sum(int(f.uv_overlap.sum()) for f in facts), density(scene).get(material, 0.0),
        sum(len(triangles_of(p)) for p in prims if not p.texcoords),
    )  # fmt: skip
    return figures, qimage(rgba)


class UVPage(QWidget):
    """The picture and the figures beside it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.scene: Scene | None = None
        self.material = -1
        self.figures: UVFacts | None = None
        self.layout_ = Picture()
        self.lines = [label("", "", -0.5) for _ in range(6)]
        for line in self.lines:
            line.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.scale = Scale()
        side = QWidget()
        box = QVBoxLayout(side)
        box.setContentsMargins(12, 10, 12, 10)
        for line in self.lines:
            box.addWidget(line)
        box.addWidget(self.scale)
        box.addWidget(label("Texel density as a colour map: choose it under What is shown.", "soft", -1, wrap=True))
        box.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.layout_, 1)
        whole.addWidget(side, 1)

    def show_scene(self, scene: Scene) -> None:
        """Another scene; the picked material stays."""
        self.scene = scene
        self._ask()

    def show_material(self, index: int) -> None:
        """Another material."""
        if index != self.material:
            self.material = index
            self._ask()

    def showEvent(self, event: object) -> None:
        self._ask()

    def _ask(self) -> None:
        scene, index = self.scene, self.material
        if scene is None or not self.isVisible():
            return
        if not 0 <= index < len(scene.materials):
            index = 0

        def done(found: tuple[UVFacts, QImage]) -> None:
            if self.scene is scene:
                self._show(found[0], scene.materials[index].name)
                self.layout_.show_picture(found[1])

        def run(job: Job) -> tuple[UVFacts, QImage]:
            return uv_facts(scene, index)

        if scene.materials:
            self.session.worker.submit(Task(3, key="uv", title="UVs", run=run, done=done))

    def _show(self, f: UVFacts, name: str) -> None:
        self.figures = f
        texts = (
            f"{name}: {f.faces:,} faces", f"{f.bare:,} without UVs", f"{f.outside:,} vertices outside 0..1",
            f"{f.mirrored:,} faces mirrored (drawn in red)", f"{f.overlapping:,} faces overlap",
            f"{f.density:,.0f} px/m" if f.density else "no texture to measure",
        )  # fmt: skip
        for line, text in zip(self.lines, texts):
            line.setText(text)
        self.scale.show_density(f.density)


class Picture(QWidget):
    """A square picture as large as there is room."""

    def __init__(self) -> None:
        super().__init__()
        self.picture = QImage()
        self.setAccessibleName("UV layout")
        self.setMinimumWidth(150)

    def show_picture(self, picture: QImage) -> None:
        """Show another."""
        self.picture = picture
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("desk"))
        edge = min(self.width(), self.height()) - 12
        if not self.picture.isNull() and edge > 0:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF((self.width() - edge) / 2, (self.height() - edge) / 2, edge, edge), self.picture)
        painter.end()


class Scale(QWidget):
    """The colours of the density map with their figures, and where the picked material lies."""

    OCTAVES = 3

    def __init__(self) -> None:
        super().__init__()
        self.density = 0.0
        self.setFixedHeight(44)
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
            place = QRectF(min(max(x - 30, 0), wide - 60), 24, 60, 16)
            side = (
                Qt.AlignmentFlag.AlignLeft if k < 0 else Qt.AlignmentFlag.AlignRight if k > 0 else Qt.AlignmentFlag.AlignHCenter
            )
            painter.drawText(place, side, text + (" px/m" if k > 0 else ""))
        if self.density > 0:
            x = (np.clip(np.log2(self.density / USUAL_DENSITY) / self.OCTAVES, -1, 1) + 1) / 2 * wide
            painter.fillRect(QRectF(x, 5, 2, 22), colour("ink"))
        painter.end()
