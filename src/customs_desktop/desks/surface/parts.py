"""Sections of the Surface panel. Each is shown the picked material and texture, and asks for changes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QLineEdit, QPushButton, QVBoxLayout, QWidget

from customs.formats.image_write import deliveries
from customs.ledger.materials import near_images
from customs.scene.model import Image, Material, Scene
from customs.surface.files.base import texture_format, texture_formats
from customs.surface.presets import presets
from customs.words import many
from customs.work.roles import layers_text
from customs_desktop.desks.surface.edit import SurfaceEdit
from customs_desktop.desks.surface.texture_view import TextureView
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import NumberField, button, combo, label, row, show_choice


class Section(QWidget):
    """A column of widgets that knows what is picked."""

    def __init__(self, edit: SurfaceEdit) -> None:
        super().__init__()
        self.edit = edit
        self.scene: Scene | None = None
        self.material: Material | None = None
        self.role, self.image = "", None
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(5)

    def show_picked(
        self, scene: Scene | None, material: Material | None, role: str, image: Image | None, session: Office
    ) -> None:
        """Show what is picked."""
        self.scene, self.material, self.role, self.image = scene, material, role, image  # type: ignore[assignment]
        self.setEnabled(material is not None)
        if material is not None:
            self.fill(session)

    def said(self) -> str:
        """Its state in words."""
        return ""

    def fill(self, session: Office) -> None:
        """Fill in the picked material's values."""


class GlowPart(Section):
    """Colours picked in the texture become what glows."""

    def __init__(self, edit: SurfaceEdit, view: TextureView) -> None:
        super().__init__(edit)
        self.view = view
        self.pick = QPushButton("Pick colours")
        self.pick.setProperty("kind", "chip")
        self.pick.setCheckable(True)
        self.pick.toggled.connect(self._picking)
        self.colours = label("", "soft", -0.5)
        self.clear = button("Clear", self._clear, "flat")
        self.tolerance, self.feather, self.strength = (
            NumberField(0, 1, 2, "Tolerance"),
            NumberField(0, 1, 2, "Feather"),
            NumberField(0, 1000, 1, "Strength"),
        )
        for name, field in (
            ("tolerance", self.tolerance),
            ("feather", self.feather),
            ("strength", self.strength),
        ):
            field.setFixedWidth(span(56))
            field.entered.connect(lambda v, n=name: self._set(**{n: v}))
        self.box.addWidget(row(self.pick, self.colours, 1, self.clear))
        self.box.addWidget(
            row(
                label("Tolerance", "soft", -0.5),
                self.tolerance,
                label("Feather", "soft", -0.5),
                self.feather,
                1,
            )
        )
        self.box.addWidget(row(label("Strength", "soft", -0.5), self.strength, 1))
        view.picked.connect(self._picked)

    def said(self) -> str:
        return many(len(tuple(self._values().get("colours", ()))), "colour")  # type: ignore[arg-type]

    def fill(self, session: Office) -> None:
        values = self._values()
        for name, field, usual in (
            ("tolerance", self.tolerance, 0.08),
            ("feather", self.feather, 0.04),
            ("strength", self.strength, 1.0),
        ):
            if not field.hasFocus():
                field.show_value(float(values.get(name, usual)))
        picked = tuple(values.get("colours", ()))
        self.colours.setText(
            " ".join(f'<span style="color:{c}">■</span>' for c in picked[:6])
            + (" …" if len(picked) > 6 else "")
        )
        self.colours.setToolTip(", ".join(picked))
        self.clear.setVisible(bool(picked))

    def _values(self) -> dict[str, object]:
        return self.edit.stop_for("glow", self.material.key) if self.material is not None else {}

    def _picking(self, on: bool) -> None:
        self.view.picking = on
        if on and self.role not in ("base_colour", "diffuse"):
            self.edit.say("Pick in the colour texture: choose its cell first.")

    def _picked(self, colour_: str) -> None:
        known = tuple(self._values().get("colours", ()))  # type: ignore[arg-type]
        # A texture still on its way is not the one that was clicked in.
        if colour_ not in known and self.view.owner is self.image:
            self._set(colours=(*known, colour_))

    def _clear(self) -> None:
        self._set(colours=())

    def _set(self, **values: object) -> None:
        if self.material is not None and (self._values() or "colours" in values):
            self.edit.set_for("glow", self.material.key, "Glow", **values)


class AlphaPart(Section):
    """How the material uses alpha, what kind it is, its green and its tint."""

    def __init__(self, edit: SurfaceEdit) -> None:
        super().__init__(edit)
        modes = (("opaque", "Opaque"), ("mask", "Mask"), ("blend", "Blend"))
        self.mode = combo(modes, "Alpha mode", lambda m: self._alpha(mode=m))
        self.cutoff = NumberField(0, 1, 2, "Cutoff")
        self.cutoff.setFixedWidth(span(56))
        self.cutoff.entered.connect(lambda v: self._alpha(cutoff=v))
        self.kind = combo(
            [("", "as it is"), *((k, p.title) for k, p in presets().items())],
            "Kind of material",
            self._preset,
        )
        self.green = button("Turn green over", self._green, "chip")
        self.bleed = button("Draw colours out", self._bleed, "chip")
        self.box.addWidget(row(label("Alpha"), self.mode, label("cut", "soft"), self.cutoff))
        self.box.addWidget(row(label("Set as"), self.kind))
        self.box.addWidget(row(self.green, self.bleed, 1))
        self.beyond = label("", "soft", -0.5, wrap=True)
        self.nearest = row(button("Turn into the nearest look", self._nearest, "chip"), 1)
        self.box.addWidget(self.beyond)
        self.box.addWidget(self.nearest)

    def said(self) -> str:
        return self.mode.currentText().lower() if self.material is not None else "none picked"

    def fill(self, session: Office) -> None:
        assert self.material is not None
        show_choice(self.mode, self.material.alpha_mode)
        self.cutoff.show_value(self.material.alpha_cutoff)
        self.cutoff.setEnabled(self.material.alpha_mode == "mask")
        show_choice(self.kind, str(self.edit.stop_for("preset", self.material.key).get("preset", "")))
        self.green.setEnabled("normal" in self.material.textures)
        beyond = layers_text(self.material)
        self.beyond.setText(f"Beyond the core: {beyond}." if beyond else "")
        self.beyond.setVisible(bool(beyond))
        self.nearest.setVisible(bool(beyond))

    def _nearest(self) -> None:
        if self.material is not None:
            self.edit.set_for("nearest-look", self.material.key, "Nearest look", kept=())

    def _alpha(self, **values: object) -> None:
        if self.material is not None:
            now = {"mode": self.material.alpha_mode, "cutoff": self.material.alpha_cutoff}
            self.edit.set_for("alpha", self.material.key, "Alpha", **{**now, **values})

    def _preset(self, id_: str) -> None:
        if self.material is not None and id_:
            self.edit.set_for(
                "preset", self.material.key, f"Set as {presets()[id_].title.lower()}", preset=id_
            )

    def _green(self) -> None:
        self._on_texture("green", "normal")

    def _bleed(self) -> None:
        self._on_texture("bleed", "base_colour")

    def _on_texture(self, step: str, role: str) -> None:
        use = self.material.textures.get(role) if self.material is not None else None
        if use is not None and self.scene is not None:
            self.edit.set_for(step, self.scene.images[use.image].key)


class SkinPart(Section):
    """Further skins: another texture in the picked role, under a name."""

    def __init__(self, edit: SurfaceEdit) -> None:
        super().__init__(edit)
        self.known = label("", "soft", -0.5, wrap=True)
        self.name = QLineEdit()
        self.name.setPlaceholderText("name of the skin")
        self.name.setAccessibleName("Name of the skin")
        self.texture = combo((), "Texture of the skin", lambda key: None)
        self.go = button("Add skin", self.add)
        self.box.addWidget(self.known)
        self.box.addWidget(row(self.name, self.go))
        self.box.addWidget(self.texture)

    def said(self) -> str:
        return ", ".join(self.scene.variants) or "one skin" if self.scene is not None else ""

    def fill(self, session: Office) -> None:
        assert self.scene is not None
        skins = ", ".join(self.scene.variants)
        self.known.setText(
            f"Skins: {skins}"
            if skins
            else "One skin. Another texture in the picked role makes a further one."
        )
        options = [
            *near_images(self.scene),
            *(im for im in self.scene.images if im is not self.image and im.there),
        ]
        keys = list(dict.fromkeys(str(im.key) for im in options))[:400]
        if keys != [self.texture.itemData(i) for i in range(self.texture.count())]:
            names = {str(im.key): im.uri or im.name for im in options}
            self.texture.clear()
            for key in keys:
                self.texture.addItem(names[key], key)
        self.go.setEnabled(bool(keys) and bool(self.role))

    def add(self) -> None:
        """Add the skin."""
        name, key = self.name.text().strip(), self.texture.currentData()
        image = (
            next((im for im in self.scene.images if str(im.key) == key), None)
            if self.scene is not None
            else None
        )
        if not name or image is None or self.material is None:
            self.edit.say("A skin needs a name and a texture.")
            return
        self.edit.add_skin(name, self.material.key, self.role, image)


class FormatPart(Section):
    """How the picked texture is written, and what that costs it."""

    def __init__(self, edit: SurfaceEdit, see: Callable[[], object]) -> None:
        super().__init__(edit)
        forms = [(f.id, f.title) for f in texture_formats().values() if f.encode is not None]
        self.form = combo(forms, "File format", lambda f: self._set(form=f))
        blocks = [("", "plain pixels"), *((b, b.upper()) for b in ("bc1", "bc3", "bc4", "bc5", "bc7"))]
        self.block = combo(blocks, "Block compression", lambda b: self._set(block=b))
        self.quality = combo(
            (("best", "Best"), ("quick", "Quick")), "Quality", lambda q: self._set(quality=q)
        )
        self.quality.setMinimumWidth(span(84))
        self.error = label("", "soft", -0.5)
        self.box.addWidget(row(label("Written as"), self.form, self.block))
        self.box.addWidget(row(label("Quality"), self.quality, 1, self.error))
        self.box.addWidget(row(button("See what compression changes", see), 1))

    def said(self) -> str:
        return (
            f"{self.form.currentText()}, {self.block.currentText()}"
            if self.image is not None
            else "no texture picked"
        )

    def fill(self, session: Office) -> None:
        self.error.setText("")
        image = self.image
        self.setEnabled(image is not None)
        if image is None:
            return
        how = deliveries(image, self.scene.wishes)[0]
        show_choice(self.form, how.form)
        show_choice(self.block, how.block)
        show_choice(self.quality, how.quality)
        can = bool(texture_format(how.form).blocks)
        self.block.setEnabled(can)
        self.quality.setEnabled(can)

    def show_error(self, decibels: float) -> None:
        """The error of the compression."""
        self.error.setText("no difference" if decibels == float("inf") else f"{decibels:.1f} dB")

    def _set(self, **values: object) -> None:
        if self.image is None:
            return
        how = deliveries(self.image, self.scene.wishes)[0]
        now: dict[str, object] = {
            "form": how.form,
            "block": how.block,
            "quality": how.quality,
            "mips": how.mips,
        }
        now |= values
        entry = texture_format(str(now["form"]))
        now["block"] = now["block"] if now["block"] in entry.blocks else ""
        now["mips"] = entry.mips
        self.edit.set_for("convert-textures", self.image.key, "Format", **now)
