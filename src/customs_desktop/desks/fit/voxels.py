"""The section Voxels: what an asset of unit cells is made of, seen layer by layer, with its thin parts marked and its colours counted."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QCheckBox, QSlider, QToolTip, QWidget

from customs.later import later
from customs.ledger.row import remedy
from customs.scene.model import Scene
from customs.scene.voxels import Voxels
from customs.voxels.shown import layers_of, voxels_in
from customs.words import many
from customs_desktop.desks.fit.by_hand import column
from customs_desktop.style.theme import colour, font, span
from customs_desktop.views.handwork import Handwork
from customs_desktop.widgets.basics import Chips, NumberField, button, label, row
from customs_desktop.worker import Task

fittings = later("customs.work.fittings")
STEP = "voxels"
FILLS = (("solid", "Solid"), ("shell", "Shell"))
SWATCHES = 64
"""Colours that are shown, those of most cells."""


class Swatches(QWidget):
    """Colours of cells, those of most cells first; the tip counts them."""

    EDGE = 14

    def __init__(self) -> None:
        super().__init__()
        self.colours: list[tuple[str, int]] = []
        self.setAccessibleName("Colours of the cells")

    def show_colours(self, voxels: Voxels | None) -> None:
        """Those of an asset."""
        counts = voxels.counts() if voxels is not None else np.zeros(0, np.intp)
        order = np.argsort(-counts, kind="stable")[:SWATCHES]
        self.colours = (
            [(f"#{bytes(voxels.palette[k]).hex()}", int(counts[k])) for k in order]
            if voxels is not None
            else []
        )
        self.setAccessibleDescription(", ".join(f"{c} {n}" for c, n in self.colours[:8]))
        self.updateGeometry()
        self.update()

    def _columns(self) -> int:
        return max(1, self.width() // self.EDGE)

    def sizeHint(self) -> QSize:
        return QSize(
            12 * self.EDGE, self.heightForWidth(self.width() if self.width() > 60 else 16 * self.EDGE)
        )

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        columns = max(1, width // self.EDGE)
        return -(-len(self.colours) // columns) * self.EDGE

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, columns = QPainter(self), self._columns()
        painter.setPen(colour("rule"))
        for k, (name, _) in enumerate(self.colours):
            place = QRectF(
                (k % columns) * self.EDGE, (k // columns) * self.EDGE, self.EDGE - 2, self.EDGE - 2
            )
            painter.fillRect(place, QColor(name))
            painter.drawRect(place)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            columns, x, y = self._columns(), event.pos().x() // self.EDGE, event.pos().y() // self.EDGE
            k = y * columns + x
            if x < columns and k < len(self.colours):
                name, count = self.colours[k]
                QToolTip.showText(event.globalPos(), f"{name} · {many(count, 'cell')}", self)
            return True
        return super().event(event)


class VoxelTools(QWidget):
    """Settings of the stop, and how its cells are looked at. Emits `resized` where it has more or less to show."""

    resized = pyqtSignal()

    def __init__(self, work: Handwork) -> None:
        super().__init__()
        self.work, self.session, self.twin = work, work.session, work.twin
        self._of: Scene | None = None
        self._voxels: Voxels | None = None
        self._looks = (0, False)
        box = column(self)
        self.side, self.colours = (
            NumberField(2, 1024, 0, "Cells along the longest side"),
            NumberField(1, 1e5, 0, "Colours at most"),
        )
        for field in (self.side, self.colours):
            field.setFixedWidth(span(46, 0.5))
        self.side.entered.connect(lambda v: self._set(side=round(v)))
        self.colours.entered.connect(lambda v: self._set(colours=round(v)))
        self.settings = row(label("Side"), self.side, label("cells"), 1, label("Colours"), self.colours)
        box.addWidget(self.settings)
        self.fill = Chips(FILLS, across=True)
        self.fill.chosen.connect(lambda fill: self._set(fill=fill))
        box.addWidget(self.fill)
        self.make = button("Make voxels", self._make, "main")
        box.addWidget(row(self.make, 1))
        self.counted = label("", "soft", -0.5, wrap=True)
        box.addWidget(self.counted)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Layers shown")
        self.slider.valueChanged.connect(lambda _: self._look())
        self.layer = label("", "", -0.5)
        self.layer.setFont(font(-0.5))
        self.layers = row(label("Layers"), self.slider, self.layer)
        box.addWidget(self.layers)
        self.thin = QCheckBox("Mark thin parts")
        self.thin.toggled.connect(lambda _: self._look())
        box.addWidget(self.thin)
        self.swatches = Swatches()
        box.addWidget(self.swatches)

    @property
    def wanted(self) -> bool:
        """True where the sheet takes cells, or the route makes them."""
        asset = self.session.asset
        made = asset is not None and fittings.stop_of(asset.route, STEP) is not None
        return made or self.session.sheet.voxels.form == "cells"

    def said(self) -> str:
        """Its state in words."""
        return many(self._voxels.count, "cell") if self._voxels is not None else "none made"

    def refresh(self) -> None:
        """The stop, and what it made."""
        asset, result = self.session.asset, self.session.result
        there = asset is not None and fittings.stop_of(asset.route, STEP) is not None
        said = fittings.settings_at(asset.route, STEP) if asset is not None and there else None
        for part in (self.settings, self.fill):
            part.setVisible(there)
        self.make.setVisible(not there)
        if said is not None:
            for field, value in ((self.side, said.side), (self.colours, said.colours)):
                if not field.hasFocus():
                    field.show_value(value)
            self.fill.show_chosen(said.fill)
        scene = result.at(self.session.stop) if result is not None else None
        if scene is not self._of:
            self._of, self._voxels = scene, voxels_in(scene) if scene is not None else None
            self._show_cells()

    def _show_cells(self) -> None:
        found = self._voxels
        for part in (self.layers, self.thin, self.swatches, self.counted):
            part.setVisible(found is not None)
        self._looks = (found.cells.shape[1] if found is not None else 0, False)
        for control in (self.slider, self.thin):
            control.blockSignals(True)
        self.slider.setRange(1, max(self._looks[0], 1))
        self.slider.setValue(self._looks[0])
        self.thin.setChecked(False)
        for control in (self.slider, self.thin):
            control.blockSignals(False)
        self.swatches.show_colours(found)
        if found is not None:
            shape = " × ".join(map(str, found.cells.shape))
            thin = f" · {many(len(found.thin), 'cell')} of thin parts" if len(found.thin) else ""
            colours = many(len(found.palette), "colour")
            self.counted.setText(
                f"{many(found.count, 'cell')} of {found.cell * 1000:.2f} mm in {shape} · {colours}{thin}"
            )
            self.thin.setEnabled(bool(len(found.thin)))
            self._say_layer()
        self.let_go()
        self.resized.emit()

    def _say_layer(self) -> None:
        whole = self.slider.maximum()
        self.layer.setText("all" if self.slider.value() == whole else f"{self.slider.value()} of {whole}")

    def _make(self) -> None:
        rules = self.session.sheet.voxels
        values = {
            "side": rules.side,
            "colours": rules.colours,
            "palette": rules.palette,
            "colour_by": rules.colour_by,
        }
        fix = remedy("voxels", "Make voxels", **(values if rules.form == "cells" else {}))
        if fix is not None:
            self.session.press(fix, [self.session.current])

    def _set(self, **values: object) -> None:
        self.session.set_step(STEP, **values)

    # -- looking

    def _look(self) -> None:
        """The layers and marks as they are wished, made beside the window's work."""
        scene, found = self._of, self._voxels
        if scene is None or found is None:
            return
        self._say_layer()
        wished = self._looks = (self.slider.value(), self.thin.isChecked())
        if wished == (found.cells.shape[1], False):
            self.let_go()
            return
        self.session.worker.submit(
            Task(
                0,
                key="voxel layers",
                title="Layers",
                run=lambda job: layers_of(scene, found, *wished),
                done=lambda answer: self._take(wished, *answer),
                failed=self.session.fail,
                apart=True,
            )
        )

    def _take(self, wished: tuple[int, bool], seen: Scene, marked: tuple[tuple[int, int], ...]) -> None:
        if wished != self._looks or not self.work.open:
            return
        self.twin.marks = {str(seen.meshes[0].primitives[0].key): marked} if marked else {}
        self.twin.show_drawn({"right": seen})
        self.twin.ask()

    def let_go(self) -> None:
        """The view shows all of it again."""
        if self.twin.drawn:
            self.twin.marks = {}
            self.twin.show_drawn({})
