"""Packing: which value goes into which channel, as text and as a picture."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from customs.scene.model import Material, Scene
from customs.surface.channels import factor_of, source_of
from customs.surface.pattern import Part, parse_pattern
from customs_desktop.desks.surface.edit import SurfaceEdit
from customs_desktop.desks.surface.parts import Section
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font
from customs_desktop.widgets.basics import button, row

USUAL = "R=occlusion G=roughness B=metallic"


class PackPicture(QWidget):
    """Which source feeds which channel: a square a channel, its value, and where that comes from."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[tuple[str, str, str]] = []
        self.setAccessibleName("Packing")

    def show_pattern(self, parts: tuple[Part, ...], material: Material, scene: Scene) -> None:
        """Show a pattern with the sources a material has for it."""
        self.lines = [
            (p.channel, ("1 − " if p.inverted else "") + (p.value or "constant"), _source(p, material, scene))
            for p in parts
        ]
        self.setFixedHeight(25 * len(self.lines))
        self.setAccessibleDescription("; ".join(" ".join(line) for line in self.lines))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k, (channel, value, source) in enumerate(self.lines):
            y = 25 * k
            tone = QColor(colour({"R": "held", "G": "cleared", "B": "teal", "A": "soft"}[channel]))
            tone.setAlpha(60)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(tone)
            painter.drawRoundedRect(QRectF(0, y + 1, 22, 22), 4, 4)
            painter.setPen(colour("ink"))
            painter.setFont(font(-0.5, 700))
            painter.drawText(QRectF(0, y + 1, 22, 22), Qt.AlignmentFlag.AlignCenter, channel)
            painter.setFont(font(-0.5))
            painter.drawText(QRectF(30, y, 90, 24), Qt.AlignmentFlag.AlignVCenter, value)
            painter.setPen(colour("soft"))
            room = QRectF(118, y, self.width() - 118, 24)
            shown = painter.fontMetrics().elidedText(source, Qt.TextElideMode.ElideMiddle, int(room.width()))
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, shown)
        painter.end()


def _source(part: Part, material: Material, scene: Scene) -> str:
    if not part.value:
        return f"{part.constant:g}"
    found = source_of(material, scene.images, part.value)
    if found is None:
        return f"number {factor_of(material, part.value):g}"
    use, channel, inverted = found
    return f"{scene.images[use.image].name} {'RGBA'[channel]}{', inverted' if inverted else ''}"


class PackPart(Section):
    """The pattern, as text and as a picture."""

    def __init__(self, edit: SurfaceEdit) -> None:
        super().__init__(edit)
        self.picture = PackPicture()
        self.pattern = QLineEdit()
        self.pattern.setAccessibleName("Packing pattern")
        self.pattern.setToolTip(
            "A channel, =, and occlusion, roughness, glossiness, metallic, specular, opacity, height, 1-value or a number"
        )
        self.pattern.textEdited.connect(self._typed)
        self.go = button("Pack", self.pack)
        self.apart = button("Take apart", self.split)
        self.box.addWidget(self.picture)
        self.box.addWidget(self.pattern)
        self.box.addWidget(row(self.go, self.apart, 1))

    def said(self) -> str:
        packed = self.material is not None and bool(self.edit.stop_for("pack", self.material.key))
        return self.pattern.text() if packed else "as it came"

    def fill(self, session: Office) -> None:
        assert self.material is not None
        values = self.edit.stop_for("pack", self.material.key)
        if not self.pattern.hasFocus():
            self.pattern.setText(str(values.get("pattern") or session.sheet.textures.pack or USUAL))
        self._typed(self.pattern.text())

    def _typed(self, text: str) -> None:
        try:
            parts = parse_pattern(text)
        except ValueError as problem:
            self.go.setEnabled(False)
            self.go.setToolTip(str(problem))
            return
        self.go.setEnabled(True)
        self.go.setToolTip("")
        if self.material is not None and self.scene is not None:
            self.picture.show_pattern(parts, self.material, self.scene)

    def pack(self) -> None:
        """Bring the values into one texture by the pattern."""
        if self.material is not None:
            self.edit.set_for("pack", self.material.key, "Pack", pattern=self.pattern.text(), always=True)

    def split(self) -> None:
        """Take a packed texture apart."""
        if self.material is not None:
            self.edit.set_for(
                "split", self.material.key, "Take apart", values=("occlusion", "roughness", "metallic")
            )
