"""The desk Surface: roles, channels, glow, alpha, kinds of material, skins, compression."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QFileDialog, QSlider, QWidget

from customs.formats.image_write import deliveries, texture_kinds
from customs.job import Job
from customs.picture.pick import Met
from customs.scene.model import Image, Material, Scene
from customs.scene.wishes import Wishes
from customs.surface.compare import difference, psnr
from customs.surface.pixels import image_info, pixels_or_none, stated_space
from customs.work.compression import compressed_look
from customs.work.roles import role_table, title
from customs_desktop.desk import DeskPanel
from customs_desktop.desks.surface.bulk import BulkPage
from customs_desktop.desks.surface.edit import SurfaceEdit
from customs_desktop.desks.surface.missing import MissingPart
from customs_desktop.desks.surface.over import OverPart
from customs_desktop.desks.surface.pack import PackPart
from customs_desktop.desks.surface.parts import AlphaPart, FormatPart, GlowPart, SkinPart
from customs_desktop.desks.surface.role_model import ALPHA
from customs_desktop.desks.surface.role_table import RoleView
from customs_desktop.desks.surface.texture_view import Histogram, TextureView
from customs_desktop.desks.surface.thumbs import Thumbs
from customs_desktop.desks.surface.uv_page import UVPage
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import button, label, row
from customs_desktop.worker import Task

FORMAT = tuple(
    f"texture-{what}"
    for what in ("format", "bits", "block", "block-fit", "mips", "size", "power", "square", "small")
)
SECTIONS: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("PACK", "pack", ("packed-order", "occlusion-alone", "role-required")),
    ("GLOW", "glow", ("factor-hides",)),
    ("MATERIAL", "alpha", (
        "alpha-channel", "alpha-cutoff", "alpha-lost", "alpha-rim", "alpha-unused", "double-sided", "leaf-sides",
        "material-model", "material-layers", "material-plain", "green-direction", "factors-told", "colour-space",
    )),
    ("DETAIL AND TINT", "over", ()),
    ("SKINS", "skins", ("skins-nearby",)),
    ("FORMAT", "format", FORMAT),
    ("FINDING TEXTURES", "missing", ("texture-missing", "role-nearby", "role-known", "role-doubt")),
)  # fmt: skip
"""Title of each section, the part that stands in it, the requirements it is about."""


class SurfacePanel(DeskPanel):
    """The picked texture and what can be done with it and its material."""

    def __init__(self, session: Office) -> None:
        super().__init__("Surface", "textures and materials")
        self.session, self.edit = session, SurfaceEdit(session)
        self.thumbs = Thumbs(self)
        self.roles, self.bulk, self.uv = RoleView(self.thumbs), BulkPage(session, self.edit), UVPage(session)
        self.scene: Scene | None = None
        self.material, self.role = -1, ""
        self._texture()
        self.pack, self.glow, self.alpha = (
            PackPart(self.edit),
            GlowPart(self.edit, self.view),
            AlphaPart(self.edit),
        )
        self.skins, self.format = SkinPart(self.edit), FormatPart(self.edit, self.see_compression)
        self.over = OverPart(self.edit)
        self.missing = MissingPart(self.edit, self._ask_folder)
        for heading, part, rules in SECTIONS:
            self.section(heading, getattr(self, part).said, rules)
            self.add(getattr(self, part))
        self.finish()
        self.roles.chosen.connect(self._chosen)
        for pressed in (self.roles.table.clicked, self.roles.table.activated):
            pressed.connect(lambda _: self.unfold("TEXTURE"))
        self.glow.pick.toggled.connect(lambda on: self.unfold("TEXTURE") if on else None)
        self.roles.model.moved.connect(self._moved)
        self.roles.table.emptied.connect(self._emptied)
        self.bulk.chosen.connect(self._bulk_chosen)
        for signal in (session.changed, session.selected, session.seen, session.picked, session.opened):
            signal.connect(self.refresh)
        session.met.connect(self._met)
        self.refresh()

    def _met(self, found: Met | None) -> None:
        """The material of what was met in the view is the picked one."""
        if found is None or found.material is None or self.scene is None or not self.roles.isVisible():
            return
        # In the received half it is the material this one was made from.
        keys = {found.material.key, *found.material.made_from}
        of = [self.scene.materials[r.index] for r in self.roles.model.rows]
        at = next((i for i, m in enumerate(of) if keys & {m.key, *m.made_from}), -1)
        if at >= 0:
            self.roles.pick(at, self.role or "base_colour")
            self.unfold("TEXTURE")

    def _texture(self) -> None:
        self.view, self.histogram = TextureView(), Histogram()
        self.name, self.about = label("", "", 0.5, 600), label("", "soft", -0.5, wrap=True)
        rules = ("normal-unit", "normal-two-channel", "texture-readable", "texture-flat", "shows-nothing")
        self.section("TEXTURE", lambda: self.name.text() or "none picked", rules)
        self.channels = {}
        for name in "RGBA":
            chip = button(name, self._channels, "chip")
            chip.setCheckable(True)
            chip.setChecked(True)
            chip.setFixedWidth(span(30))
            chip.setAccessibleName(f"Channel {name}")
            self.channels[name] = chip
        self.tile = button(
            "2 × 2",
            lambda: self.view.set_tiles(2 if self.tile.isChecked() else 1),
            "chip",
            "",
            "Side by side",
        )
        self.tile.setCheckable(True)
        self.differ = button(
            "Difference", self._texture_shown, "chip", "", "What changed since it was received, strengthened"
        )
        self.differ.setCheckable(True)
        self.wipe, self.level = self._slider("Before and after", 100), self._slider("Mip level", 0)
        self.wipe.valueChanged.connect(lambda v: self.view.set_split(v / 100))
        self.level.valueChanged.connect(self.view.set_level)
        self.view.moved.connect(lambda share: self._show_wipe(share))
        self.add(self.view)
        self.add(row(*self.channels.values(), 1, self.tile, self.differ, spacing=4))
        self.add(row(label("Received", "soft", -0.5), self.wipe, label("Level", "soft", -0.5), self.level))
        self.add(self.name)
        self.add(self.about)
        self.add(self.histogram)

    def _slider(self, name: str, most: int) -> QSlider:
        out = QSlider(Qt.Orientation.Horizontal)
        out.setAccessibleName(name)
        out.setToolTip(name)
        out.setRange(0, most)
        return out

    # -- keeping up

    def refresh(self, *_: object) -> None:
        """Show the selected asset's materials at the picked stop, worked out in the background."""
        if not self.isVisible() and not self.roles.isVisible():
            return
        result = self.session.result
        scene = result.at(self.session.stop) if result is not None else None
        self.setEnabled(scene is not None and bool(scene.materials))
        if scene is None or result is None:
            if self.session.asset is None or result is not None:
                # Nothing of the one before stays where this one cannot be read.
                self.scene = None
                nothing = Scene("", "")
                self.roles.show_table(nothing, role_table(nothing, ()))
                self.bulk.show_table(nothing, role_table(nothing, ()))
                self.uv.show_scene(nothing)
                self._texture_shown()
            return
        rows = result.ledger.rows

        def done(table: object) -> None:
            if self.session.result is result:
                self.scene = scene
                self.roles.show_table(scene, table)
                self.bulk.show_table(scene, table)
                self.uv.show_scene(scene)
                self._texture_shown()

        task = Task(3, key="roles", title="Materials", run=lambda job: role_table(scene, rows), done=done)
        self.session.worker.submit(task)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    # -- what is picked

    @property
    def picked_material(self) -> Material | None:
        """The material of the picked cell."""
        good = self.scene is not None and 0 <= self.material < len(self.scene.materials)
        return self.scene.materials[self.material] if good and self.scene else None

    @property
    def picked_image(self) -> Image | None:
        """The texture of the picked cell."""
        m = self.picked_material
        use = m.textures.get(self.role) if m is not None else None
        return self.scene.images[use.image] if use is not None and self.scene is not None else None

    def _chosen(self, number: int, role: str) -> None:
        self.material = self.roles.model.rows[number].index
        m = self.picked_material
        if role in ("", ALPHA) and m is not None:
            role = "diffuse" if m.model == "specular_glossiness" else "base_colour"
        self.role = role
        self._texture_shown()

    def _bulk_chosen(self, index: int) -> None:
        self.material, self.role = index, "base_colour"
        self._texture_shown()

    def _texture_shown(self) -> None:
        """Bring the picked texture into the view; decoded in the background."""
        self.arrange_soon()
        image, m = self.picked_image, self.picked_material
        for part in (self.pack, self.glow, self.alpha, self.over, self.skins, self.format, self.missing):
            part.show_picked(self.scene, m, self.role, image, self.session)
        self.uv.show_material(self.material)
        if image is None:
            self.name.setText(f"{m.name} · no {title(self.role).lower()}" if m is not None else "")
            self.about.setText("")
            self.view.show_texture(
                None, words="No texture here" if m is not None else "Pick a cell of the table"
            )
            self.histogram.show_pixels(None)
            return
        self.name.setText(image.name)
        self.about.setText(about(image, self.scene.wishes))
        first = self.edit.received(image)
        differ = self.differ.isChecked()

        def run(job: Job) -> tuple[Any, Any]:
            after, before = pixels_or_none(image), pixels_or_none(first) if first is not None else None
            if differ and after is not None and before is not None and after.shape[:2] == before.shape[:2]:
                after = difference(before, after)
            return after, before

        def done(found: tuple[Any, Any]) -> None:
            if self.picked_image is image:
                self._arrived(*found, image)

        self.session.worker.submit(Task(2, key="texture", title="Texture", run=run, done=done))

    def _arrived(self, after: Any, before: Any, image: Image) -> None:
        self.view.show_texture(after, before, image.problem or "It cannot be read")
        self.view.owner = image
        self.level.setRange(0, self.view.levels() - 1)
        self.level.setValue(0)
        self.wipe.setEnabled(before is not None)
        self.histogram.show_pixels(after, self.view.channels)

    def _channels(self) -> None:
        chosen = "".join(n for n, chip in self.channels.items() if chip.isChecked())
        self.view.set_channels(chosen)
        self.histogram.show_pixels(self.view.after, chosen or "RGBA")

    def _show_wipe(self, share: float) -> None:
        self.wipe.blockSignals(True)
        self.wipe.setValue(round(share * 100))
        self.wipe.blockSignals(False)

    def see_compression(self) -> None:
        """Compress the picked texture as it will be delivered and show what that changes."""
        image, scene, role = self.picked_image, self.scene, self.role
        how = None if image is None or scene is None else deliveries(image, scene.wishes)[0]
        if image is None or scene is None or how is None or not how.block:
            self.session.said.emit("This texture is delivered without block compression.", "note")
            return
        kind = texture_kinds(scene).get(scene.images.index(image))

        def done(found: tuple[Any, Any]) -> None:
            made, original = found
            if self.picked_image is image and self.role == role:
                self.view.show_texture(made, original)
                self.view.set_split(0.5)
                self._show_wipe(0.5)
                self.format.show_error(psnr(original, made))

        task = Task(
            2,
            key="compression",
            title="Compressing",
            run=lambda job: compressed_look(image, how, kind, job),
            done=done,
            failed=lambda p: self.session.said.emit(str(p), "held"),
        )
        self.session.worker.submit(task)

    # -- wishes

    def _moved(self, source: int, role: str, target: int, to: str, copy: bool) -> None:
        rows = self.roles.model.rows
        cell = rows[source].cells.get(role)
        if self.scene is not None and cell is not None:
            image = self.scene.images[cell.image]
            self.edit.move(rows[source].key, role, rows[target].key, to, image, copy)
            self.roles.pick(target, to)

    def _emptied(self, index: Any) -> None:
        role, cell = self.roles.model.role_at(index.column()), self.roles.model.cell(index)
        if cell is not None:
            self.edit.use(self.roles.model.rows[index.row()].key, role, None)

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder to search for textures")
        if name:
            self.session.jobs.search_folder(Path(name))

    def pages(self) -> list[tuple[str, QWidget]]:
        return [("Roles", self.roles), ("Bulk", self.bulk), ("UV", self.uv)]

    def close_down(self) -> None:
        """Wait for pictures that are being made."""
        self.thumbs.close()


def about(image: Image, wishes: Wishes) -> str:
    """Size, bits, colour space and form of a texture."""
    info = image_info(image) if image.there and not image.problem else None
    if info is None:
        return image.problem or "missing"
    space = {"srgb": "sRGB", "linear": "linear"}.get(stated_space(image), "")
    out = deliveries(image, wishes)[0]
    form = f"{info.form.upper()} → {out.form.upper()}" if out.form != info.form else info.form.upper()
    block = out.block.upper() if out.block else ""
    parts = [f"{info.width} × {info.height}", f"{info.bits} bit", space, form, block, image.uri]
    return " · ".join(p for p in parts if p)
