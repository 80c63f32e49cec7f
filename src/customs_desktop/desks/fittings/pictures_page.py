"""The page Pictures: what the kit asks for at its true size on three backdrops, from an angle, from the view, or as words."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from customs.picture.icon import ANGLES, BACKDROPS, drawn, outermost
from customs.scene.model import Scene
from customs.scene.wishes import PictureWish
from customs.sheet.fittings import PictureRules
from customs_desktop.desks.fittings.frame_overlay import FrameOverlay
from customs_desktop.desks.fittings.sections import Wished, looked_at
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.views.twin import TwinView
from customs_desktop.views.twin_paint import Overlay
from customs_desktop.widgets.basics import Chips, NumberField, button, combo, empty, label, show_choice
from customs_desktop.worker import Task

GROUNDS = (("clear", "Clear"), ("paper", "Paper"), ("white", "White"), ("dark", "Dark"))
LIGHTINGS = (
    ("", "As there"),
    ("sky", "Sky"),
    ("even", "Even"),
    ("viewer", "Viewer"),
    ("side", "Side"),
)
"""Light, "" for the destination's own."""
FREE = PictureRules(name="picture", width=256, height=256)
"""What is shown where the sheet asks for no picture."""
Drawn = list[tuple[PictureRules, str, np.ndarray]]


class PicturesPage(Wished):
    """What a person does here becomes settings of the stop Picture."""

    step = "picture"

    def __init__(self, session: Office, twin: TwinView, usual: Overlay) -> None:
        super().__init__(session)
        self.twin, self.usual, self.frame = twin, usual, FrameOverlay()
        self._stood: tuple[float, float] | None = None
        self._way: tuple[float, float] | None = None
        self.open = False
        self._of: tuple[object, ...] = ()
        self.shown: Drawn = []
        self.angles = Chips([(a, a) for a in ANGLES])
        self.angles.chosen.connect(self._from)
        self.view = button("From the view", self._from_view, "chip", "", "As the right half is turned now")
        self.lights = combo(LIGHTINGS, "Light", lambda id_: self._lit(id_))
        self.grounds = Chips(GROUNDS)
        self.grounds.chosen.connect(lambda g: self.wish(f"Picture on {g}", backdrop=g))
        self.margin = NumberField(0, 45, 1, "Margin (%)")
        self.margin.setFixedWidth(span(58, 0.5))
        self.margin.entered.connect(lambda v: self.wish("Picture margin", margin=v / 100))
        self.text = QLineEdit()
        self.text.setMaxLength(40)
        self.text.setAccessibleName("Words in place of a picture")
        self.text.setPlaceholderText("words instead")
        self.text.setToolTip("Words in place of a picture")
        self.text.editingFinished.connect(self._worded)
        inner = QWidget()
        self.pictures = QHBoxLayout(inner)
        self.pictures.setContentsMargins(12, 8, 12, 8)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 6)
        box.addWidget(area, 1)
        for line in (
            (self.angles, self.view),
            (self.grounds, label("Margin %"), self.margin, label("")),
            (label("Light"), self.lights, self.text),
        ):
            holder = QHBoxLayout()
            holder.setContentsMargins(12, 0, 12, 0)
            for widget in line:
                holder.addWidget(
                    widget, 1 if widget in (self.angles, line[-1]) and widget is not self.view else 0
                )
            box.addLayout(holder)
        self.grounds.setFixedWidth(span(248, 0.5))
        self.lights.setFixedWidth(span(104, 0.5))

    # -- what is shown

    @property
    def scene(self) -> Scene | None:
        """What the right half stands for."""
        return looked_at(self.session, self.twin)

    def said(self) -> str:
        """Its state in words."""
        rules = self.session.sheet.pictures
        return f"{rules[0].width} × {rules[0].height} {rules[0].format.upper()}" if rules else "none asked"

    def refresh(self) -> None:
        """Settings as they are, and the pictures drawn anew where they would be others."""
        if not self.open:
            return
        settings = self.settings
        self.angles.show_chosen("" if settings.turn is not None or settings.text else settings.angle)
        self.grounds.show_chosen(settings.backdrop)
        if not self.margin.hasFocus():
            self.margin.show_value(settings.margin * 100)
        if not self.text.hasFocus():
            self.text.setText(settings.text)
        scene, rules = self.scene, self.session.sheet.pictures or (FREE,)
        wish = PictureWish(
            settings.angle, settings.turn, settings.margin, settings.backdrop, settings.text, settings.light
        )
        show_choice(self.lights, settings.light or "")
        told = (scene, rules, wish)
        if self.isVisible():
            self._turn_view(settings)
        if told == self._of or not self.isVisible():
            return
        self._of = told
        if scene is None:
            self._show(([], np.zeros((0, 3))), told)
            return
        self.session.worker.submit(
            Task(
                0,
                key="icon",
                title="Drawing pictures",
                run=lambda job: (pictures_of(scene, rules, wish), outermost(scene)),
                done=lambda found: self._show(found, told),
                failed=self.session.fail,
                apart=True,
            )
        )

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.twin.set_overlay(self.frame)
        if self._stood is None:
            self._stood = (self.twin.yaw, self.twin.pitch)
        self._way = None
        self.refresh()

    def hideEvent(self, event: Any) -> None:
        super().hideEvent(event)
        self.let_go()

    def let_go(self) -> None:
        """The view as it stood before pictures were looked at."""
        if self.twin.overlay is self.frame:
            self.twin.set_overlay(self.usual)
        if self._stood is not None:
            self.twin.yaw, self.twin.pitch = self._stood
            self._stood = None
            self.twin.ask()

    def _turn_view(self, settings: Any) -> None:
        """The view as the picture is taken, whenever that is another way."""
        way = settings.turn if settings.turn is not None else ANGLES[settings.angle]
        if way != self._way:
            self._way = way
            self.twin.yaw, self.twin.pitch = way
            self.twin.ask()

    def _show(self, drawn: tuple[Drawn, np.ndarray], told: tuple[object, ...]) -> None:
        if told != self._of:
            return
        found, points = drawn
        self.shown = found
        scene, rules, wish = told
        assert isinstance(wish, PictureWish) and isinstance(rules, tuple)
        self.frame.tell(self.scene if scene is not None else None, points, wish, rules[0])
        self.twin.update()
        empty(self.pictures)
        ratio = self.devicePixelRatioF()
        for rules, ground, pixels in found:
            data = np.ascontiguousarray(pixels)
            image = QImage(
                data.data, data.shape[1], data.shape[0], 4 * data.shape[1], QImage.Format.Format_RGBA8888
            ).copy()
            pixmap = QPixmap.fromImage(image)
            pixmap.setDevicePixelRatio(ratio)
            holder = QLabel()
            holder.setPixmap(pixmap)
            holder.setAccessibleName(f"{rules.name} on {ground}")
            under = label(
                f"{rules.name} · {rules.width} × {rules.height} {rules.format.upper()} · {ground}",
                "soft",
                -0.5,
            )
            cell = QWidget()
            lines = QVBoxLayout(cell)
            lines.addWidget(holder, 0, Qt.AlignmentFlag.AlignLeft)
            lines.addWidget(under)
            lines.addStretch(1)
            self.pictures.addWidget(cell)
        self.pictures.addStretch(1)

    # -- wishes

    def _from(self, angle: str) -> None:
        """A view that was turned away comes back, also where the picture is taken from there already."""
        if self.settings.turn is None and self.settings.angle == angle:
            self._way = None
            self.refresh()
        else:
            self.wish(f"Picture {angle}", angle=angle, turn=None)

    def _lit(self, light: str) -> None:
        self.wish("Picture light", light=light or None)

    def _from_view(self) -> None:
        yaw, pitch = (self.twin.yaw + 180) % 360 - 180, min(max(self.twin.pitch, -89.0), 89.0)
        self.wish("Picture from the view", turn=(round(yaw, 1), round(pitch, 1)))

    def _worded(self) -> None:
        if self.text.text() != self.settings.text:
            self.wish("Words for a picture", text=self.text.text())


def pictures_of(scene: Scene, rules: tuple[PictureRules, ...], wish: PictureWish) -> Drawn:
    """Each picture as it is delivered, and on backdrops it will be seen on: (rules, name of the ground, pixels (H, W, 4))."""
    out: Drawn = []
    for picture in rules:
        lit = wish if wish.light is not None else replace(wish, light=picture.light)
        mine = drawn(scene, lit, picture.width, picture.height, picture.clear)
        out.append((picture, "as delivered", mine))
        if wish.text or wish.backdrop != "clear" or not picture.clear:
            continue
        for ground in ("white", "dark"):
            cover = mine[..., 3:].astype(np.float32) / 255
            flat = mine[..., :3] * cover + np.array(BACKDROPS[ground], np.float32) * (1 - cover)
            out.append(
                (
                    picture,
                    ground,
                    np.concatenate([flat.astype(np.uint8), np.full_like(mine[..., 3:], 255)], axis=2),
                )
            )
    return out
