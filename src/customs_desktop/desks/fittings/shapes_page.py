"""The page Shapes: a row a purpose, its kinds to choose, and the handles of the picked one."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QTableWidgetItem, QVBoxLayout

from customs.changes.shapes import KINDS, PURPOSES, body_of, shapes_of
from customs.scene.model import Scene
from customs.scene.tree import world_matrices
from customs.work.fittings import NAMES, ShapeRow, edited, shape_rows
from customs_desktop.desks.fittings.sections import Wished, looked_at
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.views.handles import Handles
from customs_desktop.views.shape_overlay import ShapeOverlay
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import Chips, NumberField, button, label, row
from customs_desktop.widgets.tables import listing
from customs_desktop.worker import Task

HEADS = ("Purpose", "Form", "Covers", "Sticks out", "Air inside", "Delivered as")
WORDS = {"turned-box": "turned box", "hulls": "several hulls", "joints": "along joints"}


class ShapesPage(Wished):
    """What a person does here becomes settings of the stop Shapes."""

    step = "shapes"

    def __init__(self, session: Office, twin: TwinView, overlay: ShapeOverlay) -> None:
        super().__init__(session)
        self.twin, self.overlay = twin, overlay
        self.open = False
        self.rows: tuple[ShapeRow, ...] = ()
        self._of: tuple[object, ...] = ()
        self.table = listing(HEADS, "Shapes", (96, 130, 70, 80, 80))
        self.table.itemSelectionChanged.connect(self._picked)
        self.kinds = Chips([("", "none"), *((k, WORDS.get(k, k)) for k in KINDS)])
        self.kinds.chosen.connect(self.make)
        self.cover = button(
            "Cover everything", self._cover, "main", "", "Nothing of the surface may stick out"
        )
        self.hold = button("Handles", self._hold, "chip", "", "Handles in the view move the picked shape")
        self.hold.setCheckable(True)
        self.sizes = [NumberField(0.001, 1000, 3, f"Size along {axis}, times") for axis in "XYZ"]
        for field in self.sizes:
            field.setFixedWidth(span(60, 0.5))
            field.show_value(1.0)
            field.entered.connect(lambda _: self._sized())
        self.plain = button("As fitted", self._as_fitted, "flat", "", "Take back what was done to it by hand")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 6)
        box.addWidget(self.table, 1)
        line = QHBoxLayout()
        line.setContentsMargins(12, 0, 12, 0)
        line.addWidget(self.kinds, 1)
        box.addLayout(line)
        for widgets in ((self.cover, self.hold, self.plain), (label("Sizes ×"), *self.sizes)):
            foot = QHBoxLayout()
            foot.setContentsMargins(12, 0, 12, 0)
            foot.addWidget(row(*widgets, 1))
            box.addLayout(foot)

    # -- what is shown

    @property
    def purpose(self) -> str:
        """The picked purpose, "" for none."""
        picks = self.table.selectedItems()
        return str(picks[0].data(Qt.ItemDataRole.UserRole)) if picks else ""

    @property
    def scene(self) -> Scene | None:
        """What the right half stands for."""
        return looked_at(self.session, self.twin)

    def refresh(self) -> None:
        """Measure anew what is shown; the rows come when that is done."""
        scene, sheet = self.scene, self.session.sheet
        told = (scene, sheet.id)
        if told == self._of or not self.open:
            return
        self._of = told
        self.let_go()
        if scene is None:
            self._show((), told)
            return
        task = Task(
            0, key="shape fit", title="Measuring shapes", run=lambda job: shape_rows(scene, sheet),
            done=lambda rows: self._show(rows, told), failed=self.session.fail, apart=True,
        )  # fmt: skip
        self.session.worker.submit(task)

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self.overlay.shown = False
        self.twin.marks = {}
        self.let_go()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.overlay.shown = True
        self._picked()

    def _show(self, rows: tuple[ShapeRow, ...], told: tuple[object, ...]) -> None:
        if told != self._of:
            return
        was, self.rows = self.purpose, rows
        known = {r.purpose: r for r in rows}
        self.table.blockSignals(True)
        self.table.setRowCount(len(PURPOSES))
        for k, purpose in enumerate(PURPOSES):
            for c, text in enumerate(texts(purpose, known.get(purpose))):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, purpose)
                self.table.setItem(k, c, item)
        self.table.blockSignals(False)
        first = was or next((r.purpose for r in rows if r.fit is not None), PURPOSES[0])
        self.table.selectRow(PURPOSES.index(first))
        self._picked()

    def _picked(self) -> None:
        purpose = self.purpose
        found = next((r for r in self.rows if r.purpose == purpose), None)
        self.overlay.picked, self.overlay.number = purpose, 0
        self.overlay.said = said_out(found) if found is not None and found.fit is not None else ""
        self.kinds.show_chosen(self._kind(purpose))
        there = found is not None and found.fit is not None
        for widget in (self.cover, self.hold, self.plain, *self.sizes):
            widget.setEnabled(there)
        marks = (
            dict(found.fit.bare) if found is not None and found.fit is not None and self.isVisible() else {}
        )
        if marks != self.twin.marks:
            self.twin.marks = marks
            self.twin.ask()
        if self.hold.isChecked():
            self._hold()
        self.twin.update()

    def _kind(self, purpose: str) -> str:
        return str(getattr(self.settings, purpose)) if purpose else ""

    # -- wishes

    def make(self, kind: str) -> None:
        """Shapes of another kind for the picked purpose."""
        purpose = self.purpose
        if purpose:
            self.wish(f"{NAMES[purpose]}: {WORDS.get(kind, kind) or 'none'}", **{purpose: kind})

    def _cover(self) -> None:
        self.wish("Cover everything", out=0.0)

    def _edits(self) -> tuple[Any, ...]:
        return tuple(self.settings.edits)

    def _as_fitted(self) -> None:
        purpose = self.purpose
        self.wish("Shape as fitted", edits=tuple(e for e in self._edits() if e[0] != purpose))

    def _hold(self) -> None:
        """Handles at the middle of the picked shape, or none."""
        scene, purpose = self.scene, self.purpose
        mine = [(n, s) for n, s in shapes_of(scene) if s.purpose == purpose] if scene is not None else []
        if not self.hold.isChecked() or not mine or scene is None:
            self.let_go()
            return
        n, shape = mine[0]
        handles = Handles(body_of(shape, world_matrices(scene)[n]).middle)
        handles.moved.connect(self._dragged)
        handles.dropped.connect(self._dropped)
        self.twin.handles = handles
        self.twin.update()

    def left(self) -> None:
        """Nothing is held; what is shown next is measured anew."""
        self.open, self._of = False, ()
        self.let_go()

    def let_go(self) -> None:
        """No handles."""
        self.hold.setChecked(False)
        self.twin.handles = None
        self.overlay.move, self.overlay.times = np.zeros(3), (1.0, 1.0, 1.0)
        for field in self.sizes:
            field.show_value(1.0)
        self.twin.update()

    def _dragged(self, move: object) -> None:
        self.overlay.move = np.asarray(move, dtype=float)
        self.twin.update()

    def _dropped(self) -> None:
        move = self.overlay.move.copy()
        if move.any():
            self.wish(
                "Move shape",
                edits=edited(self._edits(), self.purpose, self.overlay.number, move, (1.0, 1.0, 1.0)),
            )

    def _sized(self) -> None:
        values = [f.value() for f in self.sizes]
        if all(v is not None for v in values) and any(v != 1.0 for v in values):
            times = (float(values[0] or 1), float(values[1] or 1), float(values[2] or 1))
            self.wish(
                "Size shape",
                edits=edited(self._edits(), self.purpose, self.overlay.number, np.zeros(3), times),
            )


def said_out(found: ShapeRow) -> str:
    """How much sticks out, in words."""
    assert found.fit is not None
    return f"{found.fit.out:.1%} out, {found.fit.farthest * 1000:,.3g} mm" if found.fit.out else "covers all"


def texts(purpose: str, found: ShapeRow | None) -> tuple[str, ...]:
    """What stands in a row."""
    name = NAMES[purpose]
    if found is None or found.fit is None:
        return (
            name,
            "none, asked for" if found is not None and found.asked else "none asked",
            "–",
            "–",
            "–",
            found.delivered if found else "–",
        )
    fit = found.fit
    kinds = " and ".join(found.kinds)
    form = f"{fit.count} × {kinds}" if fit.count > 1 else kinds
    form += f" · {fit.corners} corners" if fit.corners else ""
    air = "–" if fit.air is None else f"{fit.air:.0%}"
    return (
        name,
        form,
        f"{1 - fit.out:.1%}",
        f"{fit.farthest * 1000:,.3g} mm" if fit.out else "0",
        air,
        found.delivered,
    )
