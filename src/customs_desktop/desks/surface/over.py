"""What is laid over a material: a tiling detail, and a tint of its colour."""

from __future__ import annotations

from PyQt6.QtWidgets import QLineEdit

from customs.ledger.materials import near_images
from customs.surface.glow import parse_colour
from customs_desktop.desks.surface.edit import SurfaceEdit
from customs_desktop.desks.surface.parts import Section
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import NumberField, button, combo, label, row, show_choice

MOST = 400


class OverPart(Section):
    """A detail texture with its scale and offset, kept apart or worked in; a colour to tint towards."""

    def __init__(self, edit: SurfaceEdit) -> None:
        super().__init__(edit)
        self.texture = combo((), "Texture of the detail", lambda key: self._detail(texture=key))
        self.scale, self.u, self.v, self.strength = (
            NumberField(0.01, 1000, 2, "Detail scale"), NumberField(-1000, 1000, 2, "Detail offset U"),
            NumberField(-1000, 1000, 2, "Detail offset V"), NumberField(0, 4, 2, "Detail strength"),
        )  # fmt: skip
        for field in (self.scale, self.u, self.v, self.strength):
            field.setFixedWidth(span(52))
        self.scale.entered.connect(lambda s: self._detail(scale=(s, s)))
        self.u.entered.connect(lambda u: self._detail(offset=(u, self.v.value() or 0.0)))
        self.v.entered.connect(lambda v: self._detail(offset=(self.u.value() or 0.0, v)))
        self.strength.entered.connect(lambda s: self._detail(strength=s))
        self.tint = QLineEdit()
        self.tint.setPlaceholderText("#4a9480")
        self.tint.setAccessibleName("Tint colour")
        self.tint.setFixedWidth(span(80))
        self.box.addWidget(row(label("Detail"), self.texture))
        self.box.addWidget(
            row(label("Scale", "soft", -0.5), self.scale, label("Offset", "soft", -0.5), self.u, self.v)
        )
        self.box.addWidget(
            row(
                label("Strength", "soft", -0.5),
                self.strength,
                1,
                label("Tint"),
                self.tint,
                button("Tint", self.tinted),
            )
        )

    def said(self) -> str:
        laid = self.material is not None and bool(self.edit.stop_for("detail", self.material.key))
        return f"detail {self.texture.currentText()}" if laid else "no detail"

    def fill(self, session: Office) -> None:
        assert self.scene is not None and self.material is not None
        images = [*near_images(self.scene), *(im for im in self.scene.images if im.there)][:MOST]
        keys = ["", *dict.fromkeys(str(im.key) for im in images)]
        if keys != [self.texture.itemData(i) for i in range(self.texture.count())]:
            names = {str(im.key): im.uri or im.name for im in images}
            self.texture.clear()
            for key in keys:
                self.texture.addItem(names.get(key, "none"), key)
        values = self.edit.stop_for("detail", self.material.key)
        show_choice(self.texture, str(values.get("texture", "")))
        (scale, _), (u, v) = values.get("scale", (4.0, 4.0)), values.get("offset", (0.0, 0.0))
        shown = ((self.scale, scale), (self.u, u), (self.v, v), (self.strength, values.get("strength", 1.0)))
        for field, value in shown:
            field.setEnabled(bool(values))
            if not field.hasFocus():
                field.show_value(float(value))

    def _detail(self, **values: object) -> None:
        """Lay a texture over, change how it lies, or take it away again."""
        if self.material is None:
            return
        key = values.get("texture")
        if key == "":
            self.edit.drop_for("detail", self.material.key)
        elif key is not None:
            image = (
                next((im for im in self.scene.images if str(im.key) == key), None)
                if self.scene is not None
                else None
            )
            if image is not None and (source := self.edit.source(image)):
                self.edit.set_for("detail", self.material.key, "Detail", texture=source)
        elif self.edit.stop_for("detail", self.material.key):
            self.edit.set_for("detail", self.material.key, "Detail", **values)

    def tinted(self) -> None:
        """Tint the colour texture of the material."""
        role = (
            "diffuse"
            if self.material is not None and self.material.model == "specular_glossiness"
            else "base_colour"
        )
        use = self.material.textures.get(role) if self.material is not None else None
        try:
            parse_colour(self.tint.text().strip())
        except ValueError as problem:
            self.edit.say(f"Tint: {problem}.")
            return
        if use is not None and self.scene is not None:
            self.edit.set_for(
                "tint", self.scene.images[use.image].key, "Tint", colour=self.tint.text().strip()
            )
